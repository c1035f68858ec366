using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Products;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta case</c> and its words</summary>
internal static class CaseCommand
{
    private static readonly Dictionary<string, TriedResult> Results =
        Enum.GetValues<TriedResult>().ToDictionary(CaseBook.NameOf, StringComparer.Ordinal);

    public static Command Build()
    {
        var words = new Words();
        var command = new ExampleCommand(
            "case", "Work a complaint down its ladder.", "  mukta case open gannet-post --code PH-0142\n  mukta case next")
        {
            CaseOpenCommand.Build(), BuildNext(), BuildResult(), BuildNote(), BuildShow(), BuildList(), BuildClose(), words.All,
        };
        words.AddTo(command, withNumber: false);
        command.SetAction(parsed => List(parsed, words));
        return command;
    }

    /// <summary>Prints a case.</summary>
    public static int Show(Session session, CaseRecord one, Product product, bool why, bool withEvents)
    {
        if (session.IsJson)
            return WriteJson(one, product, ExitCode.Done);
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

    private static ExampleCommand BuildNext() => Word(
        "next", "Show the next rung: what it does, costs and may lose.", "  mukta case next\n  mukta case next --case 3", [],
        (_, worked) => Next(worked));

    private static ExampleCommand BuildResult()
    {
        var result = new Argument<string>("RESULT")
        {
            Description = "fixed, not-fixed or worse.",
            CustomParser = parsed => Results.ContainsKey(parsed.Tokens.Single().Value) ? parsed.Tokens.Single().Value
                : Refused(parsed, $"The result is fixed, not-fixed or worse, not '{parsed.Tokens.Single().Value}'."),
        };
        var rung = new Option<string?>("--rung") { Description = "The rung that was tried. Default: the next one.", HelpName = "RUNG" };
        return Word(
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
        return Word(
            "note", "Write something down in a case.",
            "  mukta case note \"started after the update\"\n  mukta case note \"calls back at 5\" --case 3", [text], (parsed, worked) =>
            {
                worked.Book.Note(worked.One, parsed.GetRequiredValue(text));
                return Said(worked, $"Noted in case {worked.One.Number}.");
            });
    }

    private static ExampleCommand BuildShow()
    {
        var why = new Option<bool>("--why") { Description = "Also show the numbers behind the order." };
        return Word(
            "show", "Show a case: its ladder, and what was done.", "  mukta case show --why\n  mukta case show --case 3 --json", [why],
            (parsed, worked) => Show(worked.Session, worked.One, worked.Product, parsed.GetValue(why), withEvents: true));
    }

    private static ExampleCommand BuildClose() => Word(
        "close", "Close a case that is not fixed here.", "  mukta case close\n  mukta case close --case 3", [], (_, worked) =>
        {
            RefuseClosed(worked.One);
            worked.Book.Close(worked.One);
            return Said(worked, $"Case {worked.One.Number} is closed.");
        });

    private static ExampleCommand BuildList()
    {
        var words = new Words();
        var command = new ExampleCommand("list", "List the open cases, newest first.", "  mukta case list\n  mukta case list --all")
        {
            words.All,
        };
        words.AddTo(command, withNumber: false);
        command.SetAction(parsed => List(parsed, words));
        return command;
    }

    /// <summary>A word that works on one case.</summary>
    private static ExampleCommand Word(
        string name, string description, string examples, IReadOnlyList<Symbol> own, Func<ParseResult, Worked, int> act)
    {
        var words = new Words();
        var command = new ExampleCommand(name, description, examples);
        foreach (var symbol in own)
        {
            if (symbol is Argument argument)
                command.Arguments.Add(argument);
            else
                command.Options.Add((Option)symbol);
        }

        words.AddTo(command);
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            using var book = words.Book(parsed);
            var (one, product) = words.Case(parsed, book);
            return act(parsed, new Worked(session, book, one, product));
        });
        return command;
    }

    private static int Said(Worked worked, string line)
    {
        if (worked.Session.IsJson)
            return WriteJson(worked.Book.Of(worked.One.Number), worked.Product, ExitCode.Done);
        worked.Session.Output.WriteLine(line);
        return (int)ExitCode.Done;
    }

    private static int Record(Worked worked, TriedResult came, string? named)
    {
        var (session, book, one, product) = worked;
        RefuseClosed(one);
        var tried = Tried(one, product, named);
        book.Result(one, tried, came);
        var code = Said(worked, came switch
        {
            TriedResult.Fixed => $"Case {one.Number} is fixed by {tried.Id}, and closed.",
            TriedResult.Worse => $"{tried.Id} made it worse. Undo it before you go on.",
            _ => $"{tried.Id} did not fix it.",
        });
        if (came != TriedResult.Fixed && !session.IsJson && !session.IsQuiet)
        {
            session.Next(
                (came == TriedResult.Worse ? $"mukta undo {tried.Product ?? product.Profile.Product}"
                : book.Of(one.Number).Next is null ? "mukta case show" : "mukta case next") + product.OptionsForOthers);
        }

        return code;
    }

    private static int List(ParseResult parsed, Words words)
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
            var tried = one.Rungs.Count(r => r.Result is not null);
            var what = one.Code.Length > 0 ? one.Code : PathBytes.Shown(one.Means);
            session.Output.WriteLine(
                $"  {one.Number,3}  {one.Opened.ToLocalTime():yyyy-MM-dd HH:mm}  {one.Product}  {what}  {tried} of {one.Rungs.Count} tried"
                + $"{(one.Closed is null ? "" : ", closed")}"
                + $"{(one.Reference is { } reference ? $"  {PathBytes.Shown(reference)}" : "")}");
        }

        if (cases.Count > 0)
            session.Next($"mukta case show{words.Options(parsed)}");
        return (int)ExitCode.Done;
    }

    private static int Next(Worked worked)
    {
        var (session, _, one, product) = worked;
        RefuseClosed(one);
        var code = one.Next is null ? ExitCode.Problems : ExitCode.Done;
        if (session.IsJson)
            return WriteJson(one, product, code);
        if (WasRestarted(one) && !session.IsQuiet)
            session.Output.WriteLine("The machine was restarted since the last step.");
        if (one.Next is not { } rung)
        {
            session.Output.WriteLine($"All rungs of case {one.Number} were tried. Hand it to the vendor's support.");
            return (int)code;
        }

        new CaseText(session.Output, one, product).Next(rung);
        if (!session.IsQuiet && product.Profile.Ladder.FirstOrDefault(r => r.Id == rung.Id) is { } known
            && RungWords.Command(known, product) is { } command)
            session.Next(command);
        return (int)code;
    }

    private static Rung Tried(CaseRecord one, Product product, string? named)
    {
        var id = named ?? one.Next?.Id ?? throw new MuktaException(
            ExitCode.BadInput, "All rungs of this case were tried.", $"case {one.Number}", "Name the rung with --rung.");
        return one.Rungs.Any(r => r.Id == id) && product.Profile.Ladder.FirstOrDefault(r => r.Id == id) is { } rung ? rung
            : throw new MuktaException(
                ExitCode.BadInput, "This case has no such rung.", PathBytes.Shown(id),
                $"Its rungs are: {string.Join(", ", one.Rungs.Select(r => r.Id))}");
    }

    private static void RefuseClosed(CaseRecord one)
    {
        if (one.Closed is not null)
        {
            throw new MuktaException(
                ExitCode.BadInput, "This case is closed.", $"case {one.Number}", $"Open a new one with: mukta case open {one.Product}");
        }
    }

    private static bool WasRestarted(CaseRecord one) => one.Events.Count > 0 && one.Events[^1].Boot != SetupRunner.Boot;

    private static int WriteJson(CaseRecord one, Product product, ExitCode code)
    {
        Session.Write(
            new CaseDocument("mukta.case/1", (int)code, CasePart.Of(one, product))
            {
                Next = one.Closed is null ? one.Next?.Id : null,
                WasRestarted = WasRestarted(one),
            },
            Documents.Readable.CaseDocument);
        return (int)code;
    }

    /// <summary>The case that a word works on.</summary>
    private sealed record Worked(Session Session, CaseBook Book, CaseRecord One, Product Product);

    /// <summary>The options with which a command is told its case.</summary>
    private sealed class Words
    {
        private readonly Option<long?> number = new("--case")
        {
            Description = "The case's number. Default: the newest open one.",
            HelpName = "N",
        };
        private readonly ProductChoice choice = new() { IsForOneInstall = false };

        public Option<bool> All { get; } = new("--all") { Description = "Also list the closed ones." };

        public void AddTo(Command command, bool withNumber = true)
        {
            if (withNumber)
                command.Options.Add(number);
            choice.AddTo(command);
        }

        public string Options(ParseResult parsed) => choice.Options(parsed);

        public CaseBook Book(ParseResult parsed) => CaseBook.Open(choice.Machine(parsed), TimeProvider.System, SetupRunner.Boot);

        public (CaseRecord One, Product Product) Case(ParseResult parsed, CaseBook book)
        {
            var one = book.Of(parsed.GetValue(number));
            return (one, choice.Product(parsed, one.Product));
        }
    }
}
