using System.CommandLine;
using Mukta.Cli.Help;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Operations;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta undo</c></summary>
internal static class UndoCommand
{
    private const string Examples = """
          mukta undo --dry-run
          mukta undo 20261124T023338Z-94de07
        """;

    public static Command Build()
    {
        var id = new Argument<string?>("ID")
        {
            Description = "An operation, the beginning of its id, or a product. Default: the latest not yet undone.",
            Arity = ArgumentArity.ZeroOrOne,
        }.WithOperations();
        var choice = new OperationChoice();
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "undo", "Restore what an operation changed. An undo can be undone.", Examples)
        {
            id,
            dryRun,
            yes,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var areas = Chosen(choice, parsed, parsed.GetValue(id));
            var document = new UndoDocument("mukta.undo/1", areas[0].Id, parsed.GetValue(dryRun), 0, [.. areas.Select(OperationPart.Of)]);
            if (!session.IsJson && !session.IsQuiet)
                Show(session, areas);
            if (parsed.GetValue(dryRun))
                return End(session, document, Session.DryRun);
            RefuseIfWorkedOn(areas);
            Guard(choice.Machine(parsed), areas);
            if (!parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(session, Asked(areas[0]), cancel).ConfigureAwait(false))
                return End(session, document with { ExitCode = 1 }, "Nothing was changed.");
            Guard(choice.Machine(parsed), areas);
            var undo = choice.Catalog(parsed, cancel)
                .Undo(areas, (header, place) => OperationIndex.TryPut(choice.Machine(parsed), header, place), cancel);
            document = document with
            {
                Operation = undo.Operation,
                NotRestored = [.. undo.NotRestored.Select(n => new NotRestoredPart(PathBytes.Shown(n.Subject), n.Reason))],
                Damaged = undo.Damaged.Count == 0 ? null : [.. undo.Damaged.Select(PathBytes.Shown)],
            };
            foreach (var path in undo.Damaged.Where(_ => !session.IsJson))
            {
                session.Output.MarkupLineInterpolated(
                    $"  [red]damaged[/]  {PathBytes.Shown(path)}: the vendor's uninstall has written to it");
            }

            if (undo.NotRestored.Count == 0 && undo.Damaged.Count > 0)
            {
                return End(
                    session, document with { ExitCode = (int)ExitCode.Problems },
                    $"{Units.Count(undo.Damaged.Count, "published file is", "published files are")} damaged; the rest is.\n"
                    + $"Next: mukta repair {areas[0].Record.Header.Product}{choice.Arguments(parsed)}");
            }

            if (undo.NotRestored.Count == 0)
            {
                return End(
                    session, document,
                    session.IsQuiet ? "Restored."
                    : $"Restored.\nUndo: mukta undo {undo.Operation}{choice.Arguments(parsed)}");
            }

            foreach (var (subject, reason) in undo.NotRestored.Where(_ => !session.IsJson))
                session.Output.MarkupLineInterpolated($"  [red]not restored[/]  {PathBytes.Shown(subject)}: {reason}");
            return End(
                session, document with { ExitCode = (int)ExitCode.Problems },
                $"{Units.Count(undo.NotRestored.Count, "change is", "changes are")} not restored; the rest is.\nNext: mukta "
                + $"undo {areas[0].Id}{choice.Arguments(parsed)}");
        });
        return command;
    }

    private static List<KeptOperation> Chosen(OperationChoice choice, ParseResult parsed, string? word)
    {
        var all = choice.All(parsed);
        var id = word is not null ? choice.Id(parsed, all, word)
            : all.LastOrDefault(OperationChoice.IsOpen)?.Id ?? throw new MuktaException(
                ExitCode.BadInput, "There is no operation to undo.", "none is known on this machine",
                $"List them with: mukta operations{choice.Arguments(parsed)}");
        if (OperationCatalog.YetToUndo(all, id) is { } first)
        {
            throw new MuktaException(
                ExitCode.Blocked, "This undo has not restored everything yet, so it cannot be undone.", id,
                $"Finish it first: mukta undo {first}{choice.Arguments(parsed)}");
        }

        var areas = all.Where(o => o.Id == id).ToList();
        return areas.Any(a => a.State != OperationState.Undone) ? areas : throw new MuktaException(
            ExitCode.BadInput, "This operation is already undone.", id, $"List them with: mukta operations{choice.Arguments(parsed)}");
    }

    private static string Asked(KeptOperation operation) =>
        $"Undo {operation.Record.Header.Command}{(operation.Record.Header.Product is { } product ? $" of {product}" : "")}?";

    private static void RefuseIfWorkedOn(IReadOnlyList<KeptOperation> areas)
    {
        if (areas.FirstOrDefault(a => a.State == OperationState.Running) is { } running)
        {
            throw new MuktaException(
                ExitCode.Blocked, "A run of mukta is working on this operation.", PathBytes.Shown(running.Place),
                "Wait until it has finished, then run the same command again.");
        }
    }

    private static void Show(Session session, IReadOnlyList<KeptOperation> areas)
    {
        new OperationsText(session.Output).Write(areas);
        foreach (var kind in areas.SelectMany(a => a.Record.Changes.Select(c => (Area: a, Change: c)))
            .Where(c => c.Change.UndoPhrase is not null).GroupBy(c => c.Change.UndoPhrase!))
        {
            var (area, change) = kind.First();
            var first = PathBytes.Shown(change.IsOnDisk && area.Anchor == "/" ? "/" + change.Subject : change.Subject);
            session.Output.WriteLine(
                $"  {kind.Key,-31}  {Units.Count(kind.Count(), "item")}{(kind.Count() == 1 ? ": " : ", such as ")}{first}");
        }
    }

    private static void Guard(Machine machine, List<KeptOperation> areas)
    {
        IReadOnlyList<string> touched = [.. areas.SelectMany(a => a.Touched).Where(Path.Exists)];
        if (touched.Count > 0)
            new RunningGuard(machine, [], $"Stop it with: mukta stop {Shell.Quoted(touched[0])}").Refuse(touched, []);
    }

    private static int End(Session session, UndoDocument document, string line)
    {
        if (session.IsJson)
            Session.Write(document, Documents.Readable.UndoDocument);
        else
            session.Output.WriteLine(line);
        return document.ExitCode;
    }
}
