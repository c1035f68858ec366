using System.CommandLine;
using System.CommandLine.Invocation;
using Mukta.Cli.Rendering;

namespace Mukta.Cli.Help;

/// <summary>Writes help in at most 80 columns: what a command does, its words, arguments, options and examples.</summary>
/// <param name="groups">The program's commands, for its own help.</param>
internal sealed class HelpAction(IReadOnlyList<(string Group, IReadOnlyList<Command> Commands)> groups) : SynchronousCommandLineAction
{
    private const int Width = 80, Widest = 20, NameWidth = 10;

    private const string AboutTheProgram = """
        Exit codes:
          0  healthy, or done              4    no source available
          1  problems found or remaining   5    not trusted
          2  bad usage or input            70   internal error
          3  blocked                       130  interrupted

        Environment:
          MUKTA_PROFILES                   a folder of profiles, as --profiles
          XDG_STATE_HOME, XDG_CONFIG_HOME  where mukta keeps its state and profiles
          NO_COLOR                         no colour, if set

        Examples:
          mukta demo
          mukta verify games/gannet-post --manifest gannet-post.meta4
          mukta repair gannet-post --dry-run

        mukta help COMMAND shows a command's options.
        """;

    /// <summary>Options that every command has come last.</summary>
    private static readonly string[] Last = ["--profiles", "--root", "--dry-run", "--yes", "--json", "--quiet", "--verbose", "--help"];

    /// <inheritdoc/>
    public override int Invoke(ParseResult parseResult)
    {
        var output = parseResult.InvocationConfiguration.Output;
        var command = parseResult.CommandResult.Command;
        var isProgram = command is RootCommand;
        foreach (var line in Columns.Wrap(command.Description!, Width))
            output.WriteLine(line);
        output.WriteLine($"\nUsage: {Usage(command)}");
        if (isProgram)
        {
            foreach (var (group, commands) in groups)
                List(output, group, [.. commands.Select(c => (c.Name.PadRight(NameWidth), FirstSentence(c)))]);
        }
        else
        {
            List(output, "Words", [.. command.Subcommands.Select(c => (c.Name, FirstSentence(c)))]);
        }

        List(output, "Arguments", [.. command.Arguments.Select(a => (a.Name, a.Description!))]);
        List(output, "Options", [.. Options(command).Select(o => (Label(o), o.Description!))]);
        output.WriteLine();
        if (isProgram)
            output.WriteLine(AboutTheProgram);
        else if (command is ExampleCommand { Examples: var examples })
            output.WriteLine($"Examples:\n{examples}");
        return 0;
    }

    /// <summary>How a command is typed, such as <c>mukta caches clear PRODUCT [NAME...] [options]</c>.</summary>
    public static string Usage(Command command)
    {
        var path = Path(command);
        if (command.Subcommands.Count > 0 && command.Arguments.Count == 0)
            return $"{path} {(command is RootCommand ? "COMMAND" : "WORD")} [options]";
        var arguments = command.Arguments.Select(a => a.Arity.MaximumNumberOfValues > 1 ? $"{a.Name}..." : a.Name)
            .Zip(command.Arguments, (name, a) => a.Arity.MinimumNumberOfValues == 0 ? $"[{name}]" : name);
        return string.Join(' ', [path, .. arguments, "[options]"]);
    }

    /// <summary>The words that lead to a command.</summary>
    public static string Path(Command command) =>
        command.Parents.OfType<Command>().FirstOrDefault() is { } parent ? $"{Path(parent)} {command.Name}" : "mukta";

    /// <summary>A command's options, its own first.</summary>
    public static IEnumerable<Option> Options(Command command) => command.Options
        .Concat(command.Parents.OfType<Command>().SelectMany(Ancestors).SelectMany(p => p.Options).Where(o => o.Recursive))
        .Where(o => !o.Hidden).DistinctBy(o => o.Name).OrderBy(o => Array.IndexOf(Last, o.Name));

    private static IEnumerable<Command> Ancestors(Command command) =>
        command.Parents.OfType<Command>().SelectMany(Ancestors).Prepend(command);

    /// <summary>The first sentence of what a command does, without its full stop.</summary>
    private static string FirstSentence(Command command) => command.Description!.Split(". ")[0].TrimEnd('.');

    private static string Label(Option option)
    {
        var value = option.HelpName is { } name ? $" {name}" : "";
        var letter = option.Aliases.FirstOrDefault(a => a.Length == 2) is { } alias ? $"{alias}, " : "";
        return $"{letter}{option.Name}{value}";
    }

    private static void List(TextWriter output, string title, IReadOnlyList<(string Label, string Text)> rows)
    {
        if (rows.Count == 0)
            return;
        output.WriteLine($"\n{title}:");
        var indent = Math.Min(Widest, rows.Max(r => r.Label.Length)) + 4;
        foreach (var (label, text) in rows)
        {
            var lines = Columns.Wrap(text, Width - indent).Select(l => new string(' ', indent) + l).ToList();
            if (label.Length + 4 <= indent)
                lines[0] = $"  {label}{lines[0][(label.Length + 2)..]}";
            else
                lines.Insert(0, $"  {label}");
            lines.ForEach(output.WriteLine);
        }
    }
}
