using System.Globalization;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// One operation on what is outside of any one install. It has a journal in Mukta's folder for state and one in each other place where it
/// keeps something. Each step that is done is written down; after an interruption the same command finds the operation again and goes
/// on with the first that is not. Steps are safe to do again.
/// </summary>
public sealed class Operation : IDisposable
{
    /// <summary>The note of what was asked for.</summary>
    internal const string RequestKey = "request";

    private readonly AreasOfOperation areas;
    private readonly HashSet<string> done;

    private Operation(AreasOfOperation areas, OperationRecord? interrupted)
    {
        (this.areas, Interrupted) = (areas, interrupted);
        done = interrupted?.Changes.OfType<StepDone>().Select(s => s.Step).ToHashSet(StringComparer.Ordinal) ?? [];
    }

    /// <summary>How its journal begins.</summary>
    public OperationHeader Header => areas.Header;

    /// <summary>What an interrupted run of it has written down; null for a new one.</summary>
    public OperationRecord? Interrupted { get; }

    /// <summary>True if it goes on with one that was interrupted.</summary>
    public bool IsResumed => Interrupted is not null;

    /// <summary>The machine's root: what all paths are relative to.</summary>
    public Folder Root => areas.Root;

    /// <summary>The area in Mukta's folder for state: for what is not a file, and for what is on the same mount.</summary>
    public KeptArea Main => areas.Main;

    /// <summary>True if it goes on once the machine is restarted.</summary>
    public bool IsWaiting { get; private set; }

    /// <summary>The operation of a command that was interrupted; null if there is none.</summary>
    /// <param name="home">The machine.</param>
    /// <param name="command">The command.</param>
    /// <param name="product">The product's id; null for a command on none.</param>
    /// <exception cref="MuktaException">Its undo was begun and has not ended.</exception>
    public static OperationRecord? FindInterrupted(OperationHome home, string command, string? product)
    {
        using var root = Folder.Open(home.Root);
        var records = OperationRecord.In(root, AreasOfOperation.MainOf(root, home));
        var found = records.LastOrDefault(r => r.Header.Command == command && r.Header.Product == product && !r.IsEnded && !r.IsUndone);
        return found is null || records.All(r => r.Header.Undoes != found.Header.Operation) ? found : throw new MuktaException(
            ExitCode.Blocked, "An undo of this operation was begun and has not ended.", found.Header.Operation,
            $"Finish it with: mukta undo {found.Header.Operation}");
    }

    /// <summary>Begins, or goes on with what was interrupted.</summary>
    /// <param name="home">The machine.</param>
    /// <param name="header">For a new one.</param>
    /// <param name="request">What is asked for, in words; it has to be the same after an interruption.</param>
    /// <param name="begun">Told of the operation and of each folder in which it keeps something.</param>
    /// <exception cref="MuktaException">Something else was asked for when it began, or another run works on it.</exception>
    public static Operation Open(OperationHome home, OperationHeader header, string request, Action<OperationHeader, string>? begun)
    {
        var interrupted = FindInterrupted(home, header.Command, header.Product);
        if (interrupted is not null && interrupted.Request is { Length: > 0 } before && before != request)
        {
            var what = header.Product is null ? header.Command : $"{header.Command} of {header.Product}";
            throw new MuktaException(
                ExitCode.BadInput,
                string.Create(
                CultureInfo.InvariantCulture,
                $"A {what} was begun on {interrupted.Header.Started:yyyy-MM-dd HH:mm} UTC with other options, and has not ended."),
                $"{interrupted.Header.Operation}: {before}",
                $"Use those options again, or undo it with: mukta undo {interrupted.Header.Operation}");
        }

        var areas = new AreasOfOperation(home, interrupted?.Header ?? header, begun);
        try
        {
            var operation = new Operation(areas, interrupted);
            operation.NoteOnce(RequestKey, request);
            foreach (var place in interrupted?.Changes.OfType<AreaUsed>() ?? [])
                areas.Reopen(place.Place);
            return operation;
        }
        catch
        {
            areas.Dispose();
            throw;
        }
    }

    /// <summary>Writes down that an interrupted operation has nothing left to do. Nothing happens if there is none.</summary>
    public static void EndInterrupted(OperationHome home, string command, string? product, string request)
    {
        if (FindInterrupted(home, command, product) is not { } left || left.Request != request)
            return;
        using var operation = Open(home, left.Header, request, null);
        operation.End();
    }

    /// <summary>The area for a path, and the path as the area takes it: real, and relative to the root.</summary>
    public (KeptArea Area, string Path) For(string path) => areas.For(path);

    /// <summary>A path as an area takes it: real, and relative to the root.</summary>
    public string PathOf(string path) => areas.PathOf(path);

    /// <summary>A path relative to the root as people name it.</summary>
    public string Shown(string path) => Path.Join(Root.RealPath, path);

    /// <summary>True if a step is done.</summary>
    public bool IsDone(string step) => done.Contains(step);

    /// <summary>How many bytes a step has downloaded.</summary>
    public long BytesOf(string step) => Main.Changes.OfType<StepDone>().FirstOrDefault(s => s.Step == step)?.Bytes ?? 0;

    /// <summary>Writes down that a step is done.</summary>
    /// <param name="step">The step.</param>
    /// <param name="bytes">How many bytes it has downloaded; null if it downloads none.</param>
    public void Done(string step, long? bytes = null)
    {
        if (done.Add(step))
            Main.Note(new StepDone(step, bytes));
    }

    /// <summary>Writes down that the operation waits for the machine to be restarted.</summary>
    /// <param name="boot">The number of the start that has to be over.</param>
    public void Wait(string boot)
    {
        Main.Note(new WaitsForRestart(boot));
        IsWaiting = true;
    }

    /// <summary>Says that the machine was not restarted yet.</summary>
    public void StillWaits() => IsWaiting = true;

    /// <summary>Writes a note down unless it is there.</summary>
    public void NoteOnce(string key, string text, string? of = null)
    {
        if (!Main.Changes.Any(c => c is Noted noted && noted.Key == key && noted.Text == text && noted.Of == of))
            Main.Note(new Noted(key, text, of));
    }

    /// <summary>Writes notes down together unless there is one of this key: after an interruption there are all of them or none.</summary>
    public void NoteTogetherOnce(string key, IEnumerable<(string Text, string? Of)> notes)
    {
        if (Notes(key).Count == 0)
            Main.Note([.. notes.Select(n => new Noted(key, n.Text, n.Of))]);
    }

    /// <summary>The notes about something.</summary>
    public IReadOnlyList<Noted> Notes(string key) => [.. Main.Changes.OfType<Noted>().Where(n => n.Key == key)];

    /// <summary>Ends the operation and permanently deletes all that it keeps, and its journals.</summary>
    public void EndAndDelete(CancellationToken cancel)
    {
        End();
        areas.Delete(cancel);
    }

    /// <summary>Writes down that the operation is done.</summary>
    public void End() => areas.End();

    /// <inheritdoc/>
    public void Dispose() => areas.Dispose();
}
