using System.Globalization;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// An operation of several steps outside of any one install. Each step that is done is written down; after an interruption
/// the same command finds the operation again and goes on with the first that is not. Steps are safe to do again.
/// </summary>
public sealed class SteppedOperation : IDisposable
{
    private readonly HashSet<string> done;

    private SteppedOperation(UserHeldAreas areas, OperationHeader header, OperationRecord? left)
    {
        (Areas, Header, Left) = (areas, header, left);
        done = left?.Lines.Where(l => l.Act == OperationRecord.StepAct).Select(l => l.Path).ToHashSet(StringComparer.Ordinal) ?? [];
    }

    /// <summary>How its record begins.</summary>
    public OperationHeader Header { get; }

    /// <summary>True where it goes on with one that was interrupted.</summary>
    public bool IsResumed => Left is not null;

    internal UserHeldAreas Areas { get; }

    internal OperationRecord? Left { get; }

    /// <summary>The operation of a command that was interrupted; null where none was.</summary>
    /// <param name="home">The machine.</param>
    /// <param name="command">The command.</param>
    /// <param name="product">The product's id.</param>
    /// <exception cref="MuktaException">Its undo was begun and is not ended.</exception>
    public static OperationRecord? Interrupted(OperationHome home, string command, string product)
    {
        using var areas = new UserHeldAreas(home, OperationHeader.New(command, product, null, OperationHeader.Root, TimeProvider.System));
        var records = OperationRecord.In(areas.Anchor, areas.UsualPlace);
        var left = records.LastOrDefault(r => r.Header.Command == command && r.Header.Product == product && !r.IsEnded && !r.IsUndone);
        return left is null || records.All(r => r.Header.Undoes != left.Header.Operation) ? left : throw new MuktaException(
            ExitCode.Blocked, "An undo of this operation was begun and has not ended.", left.Header.Operation, $"Finish it with: mukta undo {left.Header.Operation}");
    }

    /// <summary>What was asked for when an operation was begun.</summary>
    public static string WishOf(OperationRecord record) => record.Lines.FirstOrDefault(l => l.Act == OperationRecord.WishAct)?.Path ?? "";

    /// <summary>The start of the machine that an operation waits to be over; null where it does not wait.</summary>
    public static string? WaitsFor(OperationRecord record) => record.Lines.LastOrDefault(l => l.Act is OperationRecord.WaitsAct or OperationRecord.StepAct) is { Act: OperationRecord.WaitsAct, Path: var boot } ? boot : null;

    /// <summary>True where a step of an interrupted operation is done.</summary>
    public static bool HasStep(OperationRecord record, string step) => record.Lines.Any(l => l.Act == OperationRecord.StepAct && l.Path == step);

    /// <summary>Begins, or goes on with what was interrupted.</summary>
    /// <param name="home">The machine.</param>
    /// <param name="header">For a new one.</param>
    /// <param name="wish">What is asked for, in words; it has to be the same after an interruption.</param>
    /// <param name="begun">Told of the operation and of each folder of held areas that it uses.</param>
    /// <param name="onChange">Told before every change, see <see cref="Folder.OnChange"/>.</param>
    /// <exception cref="MuktaException">Something else was asked for when it was begun, or another run works on it.</exception>
    internal static SteppedOperation Open(OperationHome home, OperationHeader header, string wish, Action<OperationHeader, string>? begun, Action? onChange = null)
    {
        var left = Interrupted(home, header.Command, header.Product!);
        if (left is not null && WishOf(left) is { Length: > 0 } before && before != wish)
        {
            throw new MuktaException(
                ExitCode.BadInput, string.Create(CultureInfo.InvariantCulture, $"A {header.Command} of {header.Product} was begun on {left.Header.Started:yyyy-MM-dd HH:mm} UTC with other options, and has not ended."),
                $"{left.Header.Operation}: {before}", $"Go on with those options, or go back with: mukta undo {left.Header.Operation}");
        }

        var areas = new UserHeldAreas(home, left?.Header ?? header, begun) { OnChange = onChange };
        try
        {
            var operation = new SteppedOperation(areas, left?.Header ?? header, left);
            areas.Spreading = place => operation.NoteOnce(OperationRecord.AreaAct, place);
            operation.NoteOnce(OperationRecord.WishAct, wish);
            foreach (var place in left?.Lines.Where(l => l.Act == OperationRecord.AreaAct).Select(l => l.Path).Distinct() ?? [])
                areas.Reopen(place);
            return operation;
        }
        catch
        {
            areas.Dispose();
            throw;
        }
    }

    /// <summary>True where it goes on once the machine is restarted.</summary>
    public bool IsWaiting { get; private set; }

    /// <summary>Says that the machine was not restarted yet.</summary>
    internal void StillWaits() => IsWaiting = true;

    /// <summary>How many bytes a step has fetched.</summary>
    internal long BytesOf(string step) => LinesIn(Areas.Usual).FirstOrDefault(l => l.Act == OperationRecord.StepAct && l.Path == step)?.Length ?? 0;

    /// <summary>True where a step is done.</summary>
    public bool IsDone(string step) => done.Contains(step);

    /// <summary>Writes down that a step is done.</summary>
    /// <param name="step">The step.</param>
    /// <param name="bytes">How many bytes it has fetched; null where it fetches none.</param>
    internal void Done(string step, long? bytes = null)
    {
        if (done.Add(step))
            Areas.Usual.Note(new OperationLine(OperationRecord.StepAct, step) { Length = bytes });
    }

    /// <summary>Writes down that the operation waits for the machine to be restarted.</summary>
    /// <param name="boot">The number of the start that has to be over.</param>
    internal void Wait(string boot)
    {
        Areas.Usual.Note(new OperationLine(OperationRecord.WaitsAct, boot));
        IsWaiting = true;
    }

    /// <summary>What an interrupted run has written down about a path, in the area that the path belongs to.</summary>
    internal IReadOnlyList<OperationLine> LinesIn(HeldArea area) => OperationRecord.Read(Areas.Anchor, area.Path)?.Lines ?? [];

    internal void End() => Areas.End();

    /// <inheritdoc/>
    public void Dispose() => Areas.Dispose();

    /// <summary>Writes something down unless an interrupted run has.</summary>
    internal void NoteOnce(string act, string text, string? of = null)
    {
        if (Left?.Lines.Any(l => l.Act == act && l.Path == text && l.From == of) != true)
            Areas.Usual.Note(new OperationLine(act, text) { From = of });
    }
}
