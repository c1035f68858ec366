using System.CommandLine;
using System.Globalization;
using Mukta.Cli.Rendering;

namespace Mukta.Cli.Help;

/// <summary>Writes a man page for the program and one for each command, from the same texts as the help (man(7)).</summary>
internal static class ManPages
{
    private const int LineWidth = 60;

    /// <summary>Writes the pages, such as <c>mukta.1</c> and <c>mukta-caches-clear.1</c>.</summary>
    /// <param name="root">The program.</param>
    /// <param name="folder">Where to; it is made.</param>
    public static void Write(RootCommand root, string folder)
    {
        Directory.CreateDirectory(folder);
        foreach (var command in All(root))
            File.WriteAllText(Path.Join(folder, $"{Name(command)}.1"), Page(root, command));
    }

    private static IEnumerable<Command> All(Command command) =>
        command.Subcommands.Where(c => !c.Hidden).SelectMany(All).Prepend(command);

    private static string Name(Command command) => CommandTexts.Path(command).Replace(' ', '-');

    private static string Page(RootCommand root, Command command)
    {
        using var page = new StringWriter { NewLine = "\n" };
        var summary = CommandTexts.FirstSentence(command);
        page.WriteLine($".TH {Text(Name(command).ToUpperInvariant())} 1 {Date} \"mukta {Session.Version}\" Mukta");
        page.WriteLine($".SH NAME\n{Text(Name(command))} \\- {Text(char.ToLowerInvariant(summary[0]) + summary[1..])}");
        page.WriteLine($".SH SYNOPSIS\n.B {Text(CommandTexts.Path(command))}\n{Text(CommandTexts.Arguments(command))}");
        page.WriteLine($".SH DESCRIPTION\n{Paragraph(command.Description!)}");
        List(page, command is RootCommand ? "COMMANDS" : "WORDS", command.Subcommands.Where(c => !c.Hidden)
            .Select(c => (c.Name, CommandTexts.FirstSentence(c) + $". See {Name(c)}(1).")));
        List(page, "ARGUMENTS", command.Arguments.Select(a => (a.Name, a.Description!)));
        List(page, "OPTIONS", CommandTexts.Options(command).Select(o => (CommandTexts.Label(o), o.Description!)));
        List(page, "EXIT STATUS", CommandTexts.ExitCodes);
        List(page, "ENVIRONMENT", CommandTexts.Environment);
        List(page, "FILES", CommandTexts.Files);
        var examples = command is RootCommand ? CommandTexts.Examples : (command as ExampleCommand)?.Examples;
        if (examples is not null)
            page.WriteLine($".SH EXAMPLES\n.nf\n{string.Join('\n', examples.Split('\n').Select(Text))}\n.fi");
        if (command is not RootCommand)
            page.WriteLine($".SH SEE ALSO\n.BR {Text(Name(command.Parents.OfType<Command>().First()))} (1)");
        return page.ToString();
    }

    private static void List(TextWriter page, string title, IEnumerable<(string Label, string Text)> rows)
    {
        var all = rows.ToList();
        if (all.Count == 0)
            return;
        page.WriteLine($".SH {title}");
        foreach (var (label, text) in all)
            page.WriteLine($".TP\n.B {Text(label)}\n{Paragraph(text)}");
    }

    /// <summary>The date of the sources, as builds that can be repeated give it; today's otherwise.</summary>
    private static string Date =>
        (long.TryParse(Environment.GetEnvironmentVariable("SOURCE_DATE_EPOCH"), CultureInfo.InvariantCulture, out var seconds)
            ? DateTimeOffset.FromUnixTimeSeconds(seconds) : TimeProvider.System.GetUtcNow())
        .ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    private static string Paragraph(string text) => string.Join('\n', Columns.Wrap(text, LineWidth).Select(Text));

    /// <summary>Text as roff reads it: a hyphen that is typed, no request at the beginning of a line.</summary>
    private static string Text(string text)
    {
        var escaped = text.Replace("\\", "\\e", StringComparison.Ordinal).Replace("-", "\\-", StringComparison.Ordinal)
            .Replace("'", "\\(aq", StringComparison.Ordinal);
        return escaped.StartsWith('.') ? "\\&" + escaped : escaped;
    }
}
