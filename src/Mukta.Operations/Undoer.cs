using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>What an undo has done.</summary>
/// <param name="Operation">Its id; it can be undone too.</param>
/// <param name="NotRestored">What is not back, and why.</param>
public sealed record UndoOutcome(string Operation, IReadOnlyList<(string Subject, string Reason)> NotRestored)
{
    /// <summary>The note of a file in what is kept that a program from outside has written to.</summary>
    public const string DamagedNote = "copy-damaged";

    /// <summary>Files that are back with wrong bytes, since a vendor's program has written to them. They are published ones.</summary>
    public IReadOnlyList<string> Damaged { get; init; } = [];
}

/// <summary>
/// Puts back what an operation has changed in one place, last change first: bytes, names, modes, owners and times. It is an operation
/// itself: what it removes is kept, it can be undone, and after an interruption the same undo goes on. What cannot be put back is left
/// and reported, and the same undo tries it again.
/// </summary>
/// <param name="time">For the date.</param>
/// <param name="system">For what is not on the disk; null if nothing of it may be changed.</param>
internal sealed class Undoer(TimeProvider time, ISystemUndo? system)
{
    /// <summary>Told of the undo once its journal is made.</summary>
    public Action<OperationHeader>? Begun { get; init; }

    /// <summary>Undoes.</summary>
    /// <param name="anchor">What the journal's paths are relative to.</param>
    /// <param name="area">The operation in this place.</param>
    /// <param name="header">The undo's own, if it has begun in another area of the operation; null for a new one.</param>
    /// <param name="sequence">The undo's number.</param>
    /// <param name="cancel">Interrupts between changes.</param>
    public (OperationHeader Header, IReadOnlyList<(string, string)> NotRestored) Undo(
        Folder anchor, KeptOperation area, OperationHeader? header, Func<long> sequence, CancellationToken cancel)
    {
        using var identity = JournalTrust.IdentityFor(anchor, area.Record);
        using var undone = KeptArea.Reopen(new AreaPlace(anchor), area.Record.Path);
        var known = OperationRecord.In(anchor, area.Parent);
        var begun = known.LastOrDefault(r => r.Header.Undoes == area.Id && !r.IsEnded);
        if (begun is null && undone.Changes.OfType<Undone>().LastOrDefault() is { By: var by })
            return (known.Last(r => r.Header.Operation == by).Header, []);
        if (known.Any(r => r.Header.Operation == header?.Operation))
            header = null; // It comes from a journal that somebody else may have made, and here it is another operation's.
        header = begun?.Header ?? header ?? OperationHeader.New("undo", area.Record.Header.Product, area.Record.Header.Release, time) with
        {
            Undoes = area.Id,
            Sequence = sequence(),
        };
        using var undo = begun is null ? KeptArea.Begin(anchor, area.Parent, header) : KeptArea.Reopen(new AreaPlace(anchor), begun.Path);
        Begun?.Invoke(header);
        var left = Revert(new ChangeSite(anchor, area.Record.Path), undone.Changes, undo, cancel);
        if (left.Count == 0)
        {
            undone.Note(new Undone(header.Operation));
            undo.End();
        }

        return (header, left);
    }

    private List<(string, string)> Revert(ChangeSite site, IReadOnlyList<Change> changes, KeptArea undo, CancellationToken cancel)
    {
        var notMade = changes.OfType<NotDone>().Select(n => n.Of).ToHashSet();
        var before = undo.Changes.Where(c => c.Undoes is not null).ToList();
        var last = before.Select(c => c.Undoes!.Value).DefaultIfEmpty(int.MaxValue).Min();
        var again = undo.Changes.OfType<LeftBehind>().Select(l => l.Of).ToHashSet();
        undo.BegunBefore = again.Append(last).ToHashSet();
        var left = new List<(string, string)>();
        for (var i = changes.Count - 1; i >= 0; i--)
        {
            cancel.ThrowIfCancellationRequested();
            if ((i > last && !again.Contains(i)) || notMade.Contains(i))
                continue;
            undo.Undoing = i;
            try
            {
                changes[i].Revert(site, undo, system);
            }
            catch (Exception e) when (e is NotRestoredException
                || (e is MuktaException or IOException or UnauthorizedAccessException && !IsFatal(e)))
            {
                left.Add((changes[i].Subject, e is MuktaException known ? known.What.TrimEnd('.') : e.Message));
                undo.Note(new LeftBehind(i, left[^1].Item2));
            }
        }

        undo.Undoing = null;
        return left;
    }

    /// <summary>A disk that is full or fails would fail for all the rest too: the undo stops, and the same command goes on.</summary>
    private static bool IsFatal(Exception failure) => failure is DiskException
    {
        Errno: DiskException.NoSpace or DiskException.QuotaExceeded or DiskException.InputOutput or DiskException.ReadOnlyFileSystem
    };
}
