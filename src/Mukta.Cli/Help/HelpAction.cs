using System.CommandLine;
using System.CommandLine.Invocation;
using Mukta.Cli.Rendering;

namespace Mukta.Cli.Help;

/// <summary>Writes help in at most 80 columns: what a command does, its words, arguments, options and examples.</summary>
/// <param name="groups">The program's commands, for its own help.</param>
internal sealed class HelpAction(IReadOnlyList<(string Group, IReadOnlyList<Command> Commands)> groups) : SynchronousCommandLineAction
{
    private const int Width = 80, Widest = 20, NameWidth = 10;

    /// <inheritdoc/>
    public override int Invoke(ParseResult parseResult)
    {
        var output = parseResult.InvocationConfiguration.Output;
        var command = parseResult.CommandResult.Command;
        foreach (var line in Columns.Wrap(command.Description!, Width))
            output.WriteLine(line);
        output.WriteLine($"\nUsage: {CommandTexts.Path(command)} {CommandTexts.Arguments(command)}");
        if (command is RootCommand)
        {
            foreach (var (group, commands) in groups)
                List(output, group, [.. commands.Select(c => (c.Name.PadRight(NameWidth), CommandTexts.FirstSentence(c)))]);
        }
        else
        {
            List(output, "Words", [.. command.Subcommands.Select(c => (c.Name, CommandTexts.FirstSentence(c)))]);
        }

        List(output, "Arguments", [.. command.Arguments.Select(a => (a.Name, a.Description!))]);
        List(output, "Options", [.. CommandTexts.Options(command).Select(o => (CommandTexts.Label(o), o.Description!))]);
        if (command is RootCommand)
        {
            List(output, "Exit codes", CommandTexts.ExitCodes);
            List(output, "Environment", CommandTexts.Environment);
            output.WriteLine($"\nExamples:\n{CommandTexts.Examples}\n\nmukta help COMMAND shows a command's options.");
        }
        else if (command is ExampleCommand { Examples: var examples })
        {
            output.WriteLine($"\nExamples:\n{examples}");
        }

        return 0;
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
