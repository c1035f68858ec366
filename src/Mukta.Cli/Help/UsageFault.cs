using System.CommandLine;
using System.CommandLine.Invocation;
using System.CommandLine.Parsing;
using Mukta.Products;

namespace Mukta.Cli.Help;

/// <summary>What is wrong with a command line, in our own sentences.</summary>
internal static class UsageFault
{
    /// <summary>True if something is wrong with it.</summary>
    public static bool IsIn(ParseResult parsed) => parsed.Action is ParseErrorAction || UnknownOption(parsed) is not null;

    /// <summary>The first fault.</summary>
    public static MuktaException Of(ParseResult parsed)
    {
        var command = parsed.CommandResult.Command;
        var path = CommandTexts.Path(command);
        return new MuktaException(ExitCode.BadInput, What(parsed, command), Shell.Typed(parsed), $"Show the help: {path} --help");
    }

    private static string What(ParseResult parsed, Command command)
    {
        if ((UnknownOption(parsed) ?? (parsed.UnmatchedTokens is [var first, ..] ? first : null)) is { } unknown)
        {
            if (unknown.StartsWith('-') && unknown.Length > 1)
            {
                return $"Unknown option {unknown}"
                    + Nearest.HintOrEnd(unknown.Split('=')[0], CommandTexts.Options(command).Select(o => o.Name));
            }

            return command.Subcommands.Count > 0 && command.Arguments.Count == 0
                ? $"Unknown command \"{unknown}\"{Nearest.HintOrEnd(unknown, command.Subcommands.Select(c => c.Name))}"
                : $"There is one word too many: {unknown}";
        }

        var error = parsed.Errors[0];
        return error.SymbolResult switch
        {
            ArgumentResult { Tokens.Count: 0, Parent: CommandResult } argument => $"{argument.Argument.Name} is missing.",
            OptionResult { Tokens.Count: 0 } option => $"{option.Option.Name} needs a value: {option.Option.Name} {option.Option.HelpName}",
            ArgumentResult { Tokens.Count: 0, Parent: OptionResult option } =>
                $"{option.Option.Name} needs a value: {option.Option.Name} {option.Option.HelpName}",
            CommandResult when command is { Action: null, Subcommands.Count: > 0 } =>
                $"Which one: {string.Join(", ", command.Subcommands.Select(c => c.Name))}?",
            _ when error.Message.Split('\n') is [_, _, ..] lines => NotAmong(error.SymbolResult, lines[1..]),
            _ => error.Message.TrimEnd('.') + ".",
        };
    }

    /// <summary>The library takes an unknown option for an argument wherever there is room for one. What comes after -- is none.</summary>
    private static string? UnknownOption(ParseResult parsed)
    {
        var mayBeOptions = parsed.Tokens.TakeWhile(t => t.Type != TokenType.DoubleDash).ToHashSet(ReferenceEqualityComparer.Instance);
        return parsed.CommandResult.Children.OfType<ArgumentResult>().SelectMany(a => a.Tokens)
            .FirstOrDefault(t => t.Value is ['-', _, ..] && mayBeOptions.Contains(t))?.Value;
    }

    /// <summary>The library lists the values that are accepted, each in a line of its own.</summary>
    private static string NotAmong(SymbolResult? at, string[] lines)
    {
        var option = at as OptionResult ?? at?.Parent as OptionResult;
        var values = string.Join(", ", lines.Select(l => l.Trim('\t', '\'', '.')));
        return $"{option?.Option.Name ?? "This"} cannot be \"{at?.Tokens[0].Value}\". Choose one of: {values}.";
    }
}
