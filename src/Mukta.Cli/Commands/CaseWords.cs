using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Products;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary>A case that a word of <c>mukta case</c> works on.</summary>
/// <param name="Session">Where words go.</param>
/// <param name="Book">All cases.</param>
/// <param name="One">The case.</param>
/// <param name="Product">Its product, with the choice of the case's install.</param>
internal sealed record WorkedCase(Session Session, CaseBook Book, CaseRecord One, Product Product)
{
    /// <summary>True if the machine was restarted since the last thing that was written down.</summary>
    public bool WasRestarted => One.Events.Count > 0 && One.Events[^1].Boot != SetupRunner.Boot;

    /// <summary>The case as it is now.</summary>
    public WorkedCase Again() => this with { One = Book.Of(One.Number) };

    /// <summary>A rung as the profile has it; null if it no longer has it.</summary>
    public Rung? Known(string rung) => Product.Profile.Ladder.FirstOrDefault(r => r.Id == rung);

    /// <summary>Refuses a case that is closed.</summary>
    /// <exception cref="MuktaException">It is.</exception>
    public void RefuseClosed()
    {
        if (One.Closed is not null)
        {
            throw new MuktaException(
                ExitCode.BadInput, "This case is closed.", $"case {One.Number}", $"Open a new one with: mukta case open {One.Product}");
        }
    }

    /// <summary>Says one line, or the case as JSON.</summary>
    public int Said(string line)
    {
        if (Session.IsJson)
            return WriteJson(ExitCode.Done);
        Session.Output.WriteLine(line);
        return (int)ExitCode.Done;
    }

    /// <summary>Records what came of a rung, and says so.</summary>
    /// <returns>The line that says so.</returns>
    public string Record(Rung tried, TriedResult came)
    {
        Book.Result(One, tried, came);
        return came switch
        {
            TriedResult.Fixed => $"Case {One.Number} is fixed by {tried.Id}, and closed.",
            TriedResult.Worse => $"{tried.Id} made it worse. Undo it before you go on.",
            _ => $"{tried.Id} did not fix it.",
        };
    }

    /// <summary>Names the command that follows a result.</summary>
    public void NextAfter(Rung tried, TriedResult came)
    {
        if (came == TriedResult.Fixed || Session.IsJson || Session.IsQuiet)
            return;
        var now = Again().One;
        Session.Next(came == TriedResult.Worse
            ? $"mukta undo {now.Rungs.First(r => r.Id == tried.Id).Operation ?? tried.Product ?? Product.Profile.Product}"
                + Product.OptionsForOthers
            : (now.Next is null ? "mukta case show" : "mukta case next") + Product.OptionsForOthers);
    }

    /// <summary>Writes the case as a JSON document.</summary>
    public int WriteJson(ExitCode code, IReadOnlyList<CaseStepPart>? steps = null)
    {
        var now = Again();
        Session.Write(
            new CaseDocument("mukta.case/1", (int)code, CasePart.Of(now.One, Product))
            {
                Next = now.One.Closed is null ? now.One.Next?.Id : null,
                WasRestarted = WasRestarted,
                Steps = steps,
            },
            Documents.Readable.CaseDocument);
        return (int)code;
    }
}

/// <summary>The options with which a word of <c>mukta case</c> is told its case.</summary>
internal sealed class CaseWords
{
    private readonly Option<long?> number = new("--case")
    {
        Description = "The case's number. Default: the newest open one.",
        HelpName = "N",
    };
    private readonly ProductChoice choice = new() { IsForOneInstall = false };

    /// <summary>For a list.</summary>
    public Option<bool> All { get; } = new("--all") { Description = "Also list the closed ones." };

    /// <summary>Makes a word that works on one case.</summary>
    public static ExampleCommand Word(
        string name, string description, string examples, IReadOnlyList<Symbol> own,
        Func<ParseResult, WorkedCase, CancellationToken, Task<int>> act)
    {
        var words = new CaseWords();
        var command = new ExampleCommand(name, description, examples);
        foreach (var symbol in own)
        {
            if (symbol is Argument argument)
                command.Arguments.Add(argument);
            else
                command.Options.Add((Option)symbol);
        }

        words.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            using var book = words.Book(parsed);
            var one = book.Of(parsed.GetValue(words.number));
            var product = words.choice.Product(parsed, one.Product);
            if (one.Install is { } install)
                product = ProductChoice.WithInstall(product, product.Machine.At(install));
            return await act(parsed, new WorkedCase(session, book, one, product), cancel).ConfigureAwait(false);
        });
        return command;
    }

    /// <summary>Makes a word that is done at once.</summary>
    public static ExampleCommand Word(
        string name, string description, string examples, IReadOnlyList<Symbol> own, Func<ParseResult, WorkedCase, int> act) =>
        Word(name, description, examples, own, (parsed, worked, _) => Task.FromResult(act(parsed, worked)));

    public void AddTo(Command command, bool withNumber = true)
    {
        if (withNumber)
            command.Options.Add(number);
        choice.AddTo(command);
    }

    public string Options(ParseResult parsed) => choice.Options(parsed);

    public CaseBook Book(ParseResult parsed) => CaseBook.Open(choice.Machine(parsed), TimeProvider.System, SetupRunner.Boot);
}
