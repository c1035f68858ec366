using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta outcomes</c></summary>
internal static class OutcomesCommand
{
    private const string Examples = """
          mukta outcomes --product gannet-post --chart outcomes.svg
          mukta outcomes --export desk-2.jsonl
        """;

    public static Command Build()
    {
        var product = new Option<string?>("--product") { Description = "Only complaints about this product.", HelpName = "PRODUCT" };
        var code = new Option<string?>("--code") { Description = "Only complaints with this code or symptom.", HelpName = "CODE" };
        var chart = new Option<string?>("--chart") { Description = "Also draw a chart: FILE.svg or FILE.png.", HelpName = "FILE" };
        var export = new Option<string?>("--export")
        {
            Description = "Write these outcomes as JSON Lines, for other desks; - is standard output.",
            HelpName = "FILE",
        };
        var import = new Option<string?>("--import")
        {
            Description = "First take over the outcomes of another desk; - is standard input.",
            HelpName = "FILE",
        };
        var root = CommonOptions.Root();
        var command = new ExampleCommand("outcomes", "Show which remedies have helped, code by code.", Examples)
        {
            product, code, import, export, chart, root,
        };
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var machine = ProductChoice.MachineAt(parsed.GetValue(root));
            using var book = CaseBook.Open(machine, TimeProvider.System, SetupRunner.Boot);
            ImportCount? imported = null;
            if (parsed.GetValue(import) is { } from)
            {
                var read = OutcomeLines.ReadFile(StandardInput.FileOf(from));
                var added = book.Import(read);
                imported = new ImportCount(added, read.Count - added);
            }

            var outcomes = book.Outcomes().Where(o => Is(parsed.GetValue(product), o.Product) && Is(parsed.GetValue(code), o.Code))
                .ToList();
            var rows = OutcomeTable.Of(outcomes);
            if (parsed.GetValue(chart) is { } drawn)
            {
                OutcomeChart.Refuse(drawn, rows);
                OutcomeChart.Write(drawn, rows);
                session.Say($"drew {PathBytes.Shown(drawn)}");
                if (OutcomeChart.LacksWords)
                {
                    session.Say(
                        "No font is installed here, so the chart has no words. Install one, such as the package fonts-dejavu-core.");
                }
            }

            if (parsed.GetValue(export) is { } to)
            {
                StandardInput.RefuseWithJson(session, to, "--export");
                var lines = string.Concat(OutcomeLines.Of(outcomes).Select(l => l + "\n"));
                if (to == StandardInput.Word)
                {
                    Console.Out.Write(lines);
                    return (int)ExitCode.Done;
                }

                OutputFile.Write(to, System.Text.Encoding.UTF8.GetBytes(lines));
                session.Say($"wrote {Units.Count(outcomes.Count, "outcome")} to {PathBytes.Shown(to)}");
            }

            if (session.IsJson)
                Session.Write(OutcomesDocument.Of(rows, imported), Documents.Readable.OutcomesDocument);
            else
                Tell(session, outcomes, rows, imported);
            return (int)ExitCode.Done;
        });
        return command;
    }

    private static bool Is(string? wanted, string value) =>
        wanted is null || string.Equals(wanted, value, StringComparison.OrdinalIgnoreCase);

    private static void Tell(Session session, List<RungOutcome> outcomes, IReadOnlyList<OutcomeRow> rows, ImportCount? imported)
    {
        var helped = outcomes.Count(o => o.Result == TriedResult.Fixed);
        session.Output.WriteLine(
            (outcomes.Count == 0 ? "No outcomes." : $"{Units.Count(outcomes.Count, "outcome")}, {Units.Number(helped)} fixed.")
            + (imported is null ? "" : $" {Units.Number(imported.Added)} imported, {Units.Number(imported.Known)} known already."));
        if (session.IsQuiet)
            return;
        new OutcomesText(session.Output).Write(rows);
        if (outcomes.Count == 0)
            session.Next("mukta case open PRODUCT --symptom TEXT");
    }
}
