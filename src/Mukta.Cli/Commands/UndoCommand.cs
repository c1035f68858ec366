using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
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
        var id = new Argument<string?>("ID") { Description = "The operation, as held list shows it; the last one that is not undone where nothing is said.", Arity = ArgumentArity.ZeroOrOne };
        var choice = new OperationChoice();
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("undo", "Put back exactly what an operation has changed. An undo is an operation itself, and can be undone.", Examples) { id, dryRun, yes };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var areas = Chosen(choice.All(parsed), parsed.GetValue(id), choice.Arguments(parsed));
            var document = new UndoDocument("mukta.undo/1", areas[0].Id, parsed.GetValue(dryRun), 0, [.. areas.Select(HeldPart.Of)]);
            if (!session.IsJson && !session.IsQuiet)
                Show(session, areas);
            if (parsed.GetValue(dryRun))
                return End(session, document with { ExitCode = 1 }, "Nothing was changed: this was a dry run.");
            RefuseIfRunning(areas);
            if (!parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(session, "Put it back?", cancel).ConfigureAwait(false))
                return End(session, document with { ExitCode = 1 }, "Nothing was changed.");
            RefuseIfRunning(areas);
            var undo = choice.Catalog(parsed, cancel).Undo(areas, (header, place) => OperationIndex.TryPut(choice.Machine(parsed), header, place), cancel);
            return End(session, document with { Operation = undo }, $"Put back as it was. To do it again: mukta undo {undo}{choice.Arguments(parsed)}");
        });
        return command;
    }

    private static List<HeldOperation> Chosen(IReadOnlyList<HeldOperation> all, string? id, string words)
    {
        var operation = id ?? all.LastOrDefault(o => o.State != OperationState.Undone && o.Record.Header.Undoes is null)?.Id
            ?? throw new MuktaException(ExitCode.BadInput, "There is no operation to undo.", "held areas", $"Look with: mukta held list{words}");
        var areas = all.Where(o => o.Id == operation).ToList();
        if (areas.Count == 0)
            throw new MuktaException(ExitCode.BadInput, "There is no such operation.", PathBytes.Shown(operation), $"Look with: mukta held list{words} (an install that is not known can be named with --in)");
        return areas.Any(a => a.State != OperationState.Undone) ? areas
            : throw new MuktaException(ExitCode.BadInput, "This operation is undone already.", operation, $"Look with: mukta held list{words}");
    }

    private static void Show(Session session, IReadOnlyList<HeldOperation> areas)
    {
        new HeldText(session.Output).Write(areas);
        foreach (var kind in areas.SelectMany(a => a.Record.Lines.Select(l => (l.Act, Path: a.Record.Header.Anchor == OperationHeader.Root && l.Act != "service" ? Path.Join("/", l.Path) : l.Path))).GroupBy(l => l.Act).Where(g => Words.ContainsKey(g.Key)))
            session.Output.WriteLine($"  {Words[kind.Key]}  {Units.Count(kind.Count(), "time")}, such as {PathBytes.Shown(kind.First().Path)}");
    }

    private static readonly Dictionary<string, string> Words = new(StringComparer.Ordinal)
    {
        ["held"] = "put back what was moved away     ",
        ["replaced"] = "put the old file back            ",
        ["emptied"] = "put back what was in the folder  ",
        ["made"] = "move away what was made          ",
        ["patched"] = "write the old bytes back         ",
        ["renamed"] = "give the old name back           ",
        ["service"] = "bring the service back           ",
        ["mode"] = "set the old mode again           ",
        ["folder-made"] = "remove the folder that was made  ",
        ["folder-removed"] = "make the removed folder again    ",
    };

    /// <summary>Nothing is touched while somebody uses what it is about.</summary>
    private static void RefuseIfRunning(IReadOnlyList<HeldOperation> areas)
    {
        var used = areas.Where(a => a.Record.Header.Anchor == OperationHeader.Install).Select(a => a.Anchor)
            .Concat(areas.Where(a => a.Record.Header.Anchor == OperationHeader.Root).SelectMany(a => a.Record.Lines.Where(l => l.HeldAt is not null).Select(l => Path.Join(a.Anchor, l.Path)))).ToList();
        if (new ProcessTable().Using(used, []).Running is { Count: > 0 } running)
            throw new ProductRuns(running, $"End it with: mukta stop {Shell.Quoted(used[0])}");
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
