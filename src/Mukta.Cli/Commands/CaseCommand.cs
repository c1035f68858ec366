using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta case</c> and its words</summary>
internal static class CaseCommand
{
    private static readonly Dictionary<string, TriedResult> Results =
        new[] { TriedResult.Fixed, TriedResult.NotFixed, TriedResult.Worse }.ToDictionary(CaseBook.NameOf, StringComparer.Ordinal);

    public static Command Build()
    {
        var words = new CaseWords();
        var command = new ExampleCommand(
            "case", "Work a complaint down its ladder.", "  mukta case open gannet-post --code PH-0142\n  mukta case next")
        {
            CaseOpenCommand.Build(), CaseNextCommand.Build(), BuildResult(), BuildNote(), BuildShow(), BuildList(), BuildClose(), words.All,
        };
        words.AddTo(command, withNumber: false);
        command.SetAction(parsed => List(parsed, words));
        return command;
    }

    /// <summary>Prints a case.</summary>
    public static int Show(WorkedCase worked, bool why, bool withEvents)
    {
        var (session, _, one, product) = worked;
        if (session.IsJson)
            return worked.WriteJson(ExitCode.Done);
        var text = new CaseText(session.Output, one, product);
        text.Head();
        if (session.IsQuiet)
            return (int)ExitCode.Done;
        text.Ladder(why);
        if (withEvents)
            text.Events();
        if (one.Closed is null && one.Next is not null)
            session.Next($"mukta case next{product.OptionsForOthers}");
        return (int)ExitCode.Done;
    }

    private static ExampleCommand BuildResult()
    {
        var result = new Argument<string>("RESULT")
        {
            Description = "fixed, not-fixed or worse.",
            CustomParser = parsed => Results.ContainsKey(parsed.Tokens.Single().Value) ? parsed.Tokens.Single().Value
                : Refused(parsed, $"The result is fixed, not-fixed or worse, not '{parsed.Tokens.Single().Value}'."),
        };
        var rung = new Option<string?>("--rung") { Description = "The rung that was tried. Default: the next one.", HelpName = "RUNG" };
        return CaseWords.Word(
            "result", "Record what came of a rung.", "  mukta case result not-fixed\n  mukta case result fixed --rung restore-services",
            [result, rung], (parsed, worked) => Record(worked, Results[parsed.GetRequiredValue(result)], parsed.GetValue(rung)));
    }

    private static string Refused(System.CommandLine.Parsing.ArgumentResult parsed, string why)
    {
        parsed.AddError(why);
        return "";
    }

    private static ExampleCommand BuildNote()
    {
        var text = new Argument<string>("TEXT") { Description = "What to write down." };
        return CaseWords.Word(
            "note", "Write something down in a case.",
            "  mukta case note \"started after the update\"\n  mukta case note \"calls back at 5\" --case 3", [text], (parsed, worked) =>
            {
                worked.Book.Note(worked.One, parsed.GetRequiredValue(text));
                return worked.Said($"Noted in case {worked.One.Number}.");
            });
    }

    private static ExampleCommand BuildShow()
    {
        var why = new Option<bool>("--why") { Description = "Also show the numbers behind the order." };
        return CaseWords.Word(
            "show", "Show a case: its ladder, and what was done.", "  mukta case show --why\n  mukta case show --case 3 --json", [why],
            (parsed, worked) => Show(worked, parsed.GetValue(why), withEvents: true));
    }

    private static ExampleCommand BuildClose() => CaseWords.Word(
        "close", "Close a case that is not fixed here.", "  mukta case close\n  mukta case close --case 3", [], (_, worked) =>
        {
            worked.RefuseClosed();
            worked.Book.Close(worked.One);
            return worked.Said($"Case {worked.One.Number} is closed.");
        });

    private static ExampleCommand BuildList()
    {
        var words = new CaseWords();
        var command = new ExampleCommand("list", "List the open cases, newest first.", "  mukta case list\n  mukta case list --all")
        {
            words.All,
        };
        words.AddTo(command, withNumber: false);
        command.SetAction(parsed => List(parsed, words));
        return command;
    }

    private static int Record(WorkedCase worked, TriedResult came, string? named)
    {
        worked.RefuseClosed();
        var tried = Tried(worked, named);
        var code = worked.Said(worked.Record(tried, came));
        worked.NextAfter(tried, came);
        return code;
    }

    private static int List(ParseResult parsed, CaseWords words)
    {
        using var session = new Session(parsed);
        using var book = words.Book(parsed);
        var cases = book.All().Where(c => c.Closed is null || parsed.GetValue(words.All)).ToList();
        if (session.IsJson)
        {
            Session.Write(
                new CaseListDocument("mukta.case.list/1", (int)ExitCode.Done, [.. cases.Select(c => CasePart.Of(c, null))]),
                Documents.Readable.CaseListDocument);
            return (int)ExitCode.Done;
        }

        session.Output.WriteLine(
            cases.Count == 0 ? parsed.GetValue(words.All) ? "No cases." : "No case is open."
            : parsed.GetValue(words.All) ? $"{Units.Count(cases.Count, "case")}." : $"{Units.Count(cases.Count, "open case")}.");
        if (session.IsQuiet)
            return (int)ExitCode.Done;
        foreach (var one in cases)
        {
            var what = one.Code.Length > 0 ? one.Code : PathBytes.Shown(one.Means);
            session.Output.WriteLine(
                $"  {one.Number,3}  {one.Opened.ToLocalTime():yyyy-MM-dd HH:mm}  {one.Product}  {what}  "
                + $"{one.Tried} of {one.Rungs.Count} tried"
                + $"{(one.Closed is null ? "" : ", closed")}"
                + $"{(one.Reference is { } reference ? $"  {PathBytes.Shown(reference)}" : "")}");
        }

        if (cases.Count > 0)
        {
            var shown = cases.Exists(c => c.Closed is null) ? "" : $" --case {cases[0].Number}"; // Without a number an open one is meant.
            session.Next($"mukta case show{shown}{words.Options(parsed)}");
        }

        return (int)ExitCode.Done;
    }

    private static Rung Tried(WorkedCase worked, string? named)
    {
        var one = worked.One;
        var id = named ?? one.Next?.Id ?? throw new MuktaException(
            ExitCode.BadInput, "All rungs of this case were tried.", $"case {one.Number}", "Name the rung with --rung.");
        return one.Rungs.Any(r => r.Id == id) && worked.Known(id) is { } rung ? rung
            : throw new MuktaException(
                ExitCode.BadInput, "This case has no such rung.", PathBytes.Shown(id),
                $"Its rungs are: {string.Join(", ", one.Rungs.Select(r => r.Id))}");
    }
}
