using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>The state of an operation.</summary>
public enum OperationState
{
    /// <summary>A run of mukta is working on it now.</summary>
    Running,

    /// <summary>It was interrupted; the same command goes on with it.</summary>
    Unfinished,

    /// <summary>It goes on once the machine is restarted.</summary>
    Waiting,

    /// <summary>It came to its end.</summary>
    Done,

    /// <summary>Its undo was begun and has not ended.</summary>
    BeingUndone,

    /// <summary>It was undone.</summary>
    Undone,
}

/// <summary>What an operation keeps in one place.</summary>
/// <param name="Anchor">The folder that its paths are relative to.</param>
/// <param name="Parent">The folder of operations that it is in, relative to the anchor.</param>
/// <param name="Record">What it has done.</param>
/// <param name="Size">What it keeps.</param>
/// <param name="State">Its state.</param>
public sealed record KeptOperation(string Anchor, string Parent, OperationRecord Record, TreeSize Size, OperationState State)
{
    /// <summary>The operation's id.</summary>
    public string Id => Record.Header.Operation;

    /// <summary>The operation's folder.</summary>
    public string Place => Path.Join(Anchor, Record.Path);

    /// <summary>The files and folders that an undo touches: the whole install for a journal that lies in one.</summary>
    public IReadOnlyList<string> Touched => Record.Header.Command == "repair" && Parent == KeptArea.OfInstall ? [Anchor]
        : [.. Record.Changes.Where(c => c.UndoPhrase is not null && c.IsOnDisk).Select(c => Path.Join(Anchor, c.Subject))
        .Distinct(StringComparer.Ordinal)];
}

/// <summary>An operation that was begun and has not ended.</summary>
/// <param name="Record">What it has done.</param>
/// <param name="State">Its state.</param>
public sealed record PendingOperation(OperationRecord Record, OperationState State);

/// <summary>Finds the operations that a machine keeps something of, puts back what they have changed, and purges what they keep.</summary>
/// <param name="home">The machine.</param>
/// <param name="time">For dates.</param>
/// <param name="system">For operations that have changed what is not on the disk.</param>
public sealed class OperationCatalog(OperationHome home, TimeProvider time, ISystemUndo? system = null)
{
    /// <summary>Journals that were found and cannot be used, from the last <see cref="All"/>.</summary>
    public IReadOnlyList<JournalFault> Faults { get; private set; } = [];

    /// <summary>All operations, first one first. One that has changed several disks is there once for each.</summary>
    /// <param name="installs">Installs to look in.</param>
    /// <param name="places">Further folders of operations that are remembered. One that a main journal names is found without it.</param>
    public IReadOnlyList<KeptOperation> All(IEnumerable<string> installs, IEnumerable<string> places)
    {
        var faults = new List<JournalFault>();
        var main = At(home.Root, MainPlace(), faults);
        var named = main.SelectMany(o => o.Record.Changes.OfType<AreaUsed>()).Select(a => Path.Join(home.Root, a.Place));
        var anchors = installs.Concat(named)
            .Concat(places.Where(p => p.EndsWith("/" + KeptArea.OfInstall, StringComparison.Ordinal))
            .Select(p => p[..^(KeptArea.OfInstall.Length + 1)]))
            .Select(RealPath).OfType<string>().Distinct(StringComparer.Ordinal);
        var all = main.Concat(anchors.SelectMany(a => At(a, KeptArea.OfInstall, faults))).ToList();
        Faults = faults;
        return [.. all.OrderBy(o => o.Record.Header.Sequence).ThenBy(o => o.Record.Header.Started)
            .ThenBy(o => o.Id, StringComparer.Ordinal)];
    }

    /// <summary>What the operations keep in an install that have come to their end, undone or not.</summary>
    public static IReadOnlyList<KeptOperation> EndedIn(string install) =>
        [.. At(install, KeptArea.OfInstall, []).Where(o => o.State is OperationState.Done or OperationState.Undone)];

    /// <summary>
    /// Operations that were begun on a product and have not ended, first one first. What cannot be read is left out, and nothing is
    /// measured.
    /// </summary>
    /// <param name="product">The product; null to look in the installs only.</param>
    /// <param name="installs">Its installs.</param>
    public IReadOnlyList<PendingOperation> Pending(string? product, IEnumerable<string> installs)
    {
        var faults = new List<JournalFault>();
        try
        {
            var ofProduct = product is null ? []
                : Each(home.Root, MainPlace(), faults, (_, r, state) => new PendingOperation(r, state))
                .Where(p => p.Record.Header.Product == product);
            return [.. installs.Select(RealPath).OfType<string>().Distinct(StringComparer.Ordinal)
                .SelectMany(i => Each(i, KeptArea.OfInstall, faults, (_, r, state) => new PendingOperation(r, state)))
                .Concat(ofProduct)
                .Where(p => p.State is not (OperationState.Done or OperationState.Undone) && p.Record.Header.Undoes is null)
                .DistinctBy(p => p.Record.Header.Operation).OrderBy(p => p.Record.Header.Sequence)];
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    /// <summary>
    /// The operation that an undo has not wholly undone yet. Until it has, the undo cannot be undone itself: what the operation has kept
    /// would then lie with the undo of the undo, where the same undo does not look for it.
    /// </summary>
    /// <param name="all">All operations.</param>
    /// <param name="id">The id of the undo, or of an operation that is none.</param>
    /// <returns>The id of the operation; null if the undo has ended, or it is none.</returns>
    public static string? YetToUndo(IReadOnlyList<KeptOperation> all, string id) =>
        all.FirstOrDefault(o => o.Id == id)?.Record.Header.Undoes is { } undone
            && all.Any(o => o.Id == undone && o.State != OperationState.Undone) ? undone : null;

    /// <summary>Puts back what an operation has changed.</summary>
    /// <param name="areas">All that <see cref="All"/> tells of one operation.</param>
    /// <param name="begun">Told of the undo's own areas, once each is made.</param>
    /// <param name="cancel">Interrupts between changes; the same undo goes on.</param>
    /// <exception cref="MuktaException">Another run works on an install, or the disk fails.</exception>
    public UndoOutcome Undo(IReadOnlyList<KeptOperation> areas, Action<OperationHeader, string>? begun, CancellationToken cancel)
    {
        var header = BegunUndo(areas);
        var left = new List<(string, string)>();
        foreach (var area in areas.Where(a => a.State != OperationState.Undone).OrderBy(IsMain))
        {
            using var anchor = Folder.Open(area.Anchor);
            using var held = new InstallLocks(time);
            held.TakeAll(anchor, area, IsMain(area));
            var undoer = new Undoer(time, SystemFor(area)) { Begun = h => begun?.Invoke(h, Path.Join(area.Anchor, area.Parent)) };
            var (of, notRestored) = undoer.Undo(
                anchor, area, header, () => OperationSequence.Next(home, areas.Select(a => a.Record)), cancel);
            header ??= of;
            left.AddRange(notRestored);
        }

        WaitingOperations.Forget(home, areas[0].Id);
        return header is null ? throw new ArgumentException("There is nothing to undo.", nameof(areas))
            : new UndoOutcome(header.Operation, left)
            {
                Damaged = [.. areas.SelectMany(a => a.Record.Changes.OfType<Noted>()).Where(n => n.Key == UndoOutcome.DamagedNote)
                    .Select(n => n.Text).Distinct()],
            };
    }

    /// <summary>Deletes what an operation keeps, and its journal. Nothing brings it back.</summary>
    /// <param name="area">The operation in one place.</param>
    /// <param name="evenUnfinished">True to delete one that is unfinished, being undone or waiting too.</param>
    /// <param name="cancel">Interrupts; the rest stays listed.</param>
    /// <exception cref="MuktaException">It may not be deleted now, something cannot be removed, or another run works on the
    /// install.</exception>
    public void Purge(KeptOperation area, bool evenUnfinished, CancellationToken cancel)
    {
        if (area.State is not (OperationState.Done or OperationState.Undone) && !(evenUnfinished && area.State != OperationState.Running))
        {
            throw new MuktaException(
                ExitCode.Blocked, $"This operation is {StateName(area.State)}, so what it keeps was not deleted.", area.Id,
                area.State == OperationState.Running ? "Wait until it has finished."
                : "Finish or undo it first, or delete it all the same: name its id and add --even-unfinished.");
        }

        using var anchor = Folder.Open(area.Anchor);
        using var identity = JournalTrust.IdentityFor(anchor, area.Record);
        using var held = new InstallLocks(time);
        if (!IsMain(area))
            held.Take(anchor);
        using (Journal.Open(anchor, area.Record.Path).Journal)
        {
            var files = $"{area.Record.Path}/{ChangeSite.FolderName}";
            if (anchor.Look(files) is not null)
                TreeBulk.Remove(anchor, files, cancel); // The journal goes last: until then the rest can still be found.
        }

        TreeBulk.Remove(anchor, area.Record.Path, cancel);
        WaitingOperations.Forget(home, area.Id);
    }

    /// <summary>The state of an operation, as the end of the sentence "it is ...".</summary>
    public static string StateName(OperationState state) => state switch
    {
        OperationState.Running => "running",
        OperationState.Unfinished => "unfinished",
        OperationState.Waiting => "waiting for a restart",
        OperationState.BeingUndone => "being undone",
        OperationState.Undone => "undone",
        _ => "done",
    };

    /// <summary>The undo that was interrupted once it had restored some of an operation's places; null if there is none.</summary>
    private static OperationHeader? BegunUndo(IReadOnlyList<KeptOperation> areas)
    {
        foreach (var area in areas.Where(a => a.State == OperationState.Undone))
        {
            using var anchor = Folder.Open(area.Anchor);
            if (OperationRecord.In(anchor, area.Parent).LastOrDefault(r => r.Header.Undoes == area.Id) is { } undo)
                return undo.Header;
        }

        return null;
    }

    /// <summary>The area in Mukta's folder for state comes last: services are changed back once the files are.</summary>
    private bool IsMain(KeptOperation area) => area.Parent != KeptArea.OfInstall;

    /// <summary>
    /// Services are changed back, and programs started again, for a journal in Mukta's folder for state only: services without question if
    /// root has written it, or if the rights are those of its owner, otherwise only the units that a profile names; programs as the user
    /// who has written it, or for root's as any.
    /// </summary>
    private BelievedUndo? SystemFor(KeptOperation area) =>
        !IsMain(area) || system is null ? null : new BelievedUndo(system, area.Record.Owner.User);

    private sealed class BelievedUndo(ISystemUndo system, uint owner) : ISystemUndo
    {
        public bool MayRestore(string unit) => owner == 0 || CurrentUser.Number != 0 || system.MayRestore(unit);

        public ServiceChanged Now(string unit) => system.Now(unit);

        public void Restore(ServiceChanged before) => system.Restore(before);

        public void Start(ProcessStopped stopped)
        {
            if (stopped.User != owner && (owner != 0 || CurrentUser.Number != 0))
            {
                throw new NotRestoredException(
                    $"it ran as user {stopped.User}, for whom this record does not count, so it was not started");
            }

            system.Start(stopped);
        }
    }

    private string MainPlace()
    {
        using var root = Folder.Open(home.Root);
        return AreasOfOperation.MainOf(root, home);
    }

    private static List<KeptOperation> At(string anchor, string parent, List<JournalFault> faults) =>
        Each(anchor, parent, faults, (folder, r, state) => new KeptOperation(
            folder.RealPath, parent, r, Kept(TreeBulk.Measure(folder, r.Path, CancellationToken.None), r), state));

    private static List<T> Each<T>(
        string anchor, string parent, List<JournalFault> faults, Func<Folder, OperationRecord, OperationState, T> make)
    {
        using var folder = Folder.Open(anchor);
        var records = OperationRecord.In(folder, parent, faults);
        return [.. records.Select(r => make(folder, r, StateOf(folder, r, records)))];
    }

    private static OperationState StateOf(Folder folder, OperationRecord record, IReadOnlyList<OperationRecord> all)
    {
        var isBeingUndone = all.Any(r => r.Header.Undoes == record.Header.Operation && !r.IsEnded);
        if (record.IsUndone && !isBeingUndone)
            return OperationState.Undone;
        using (var file = folder.OpenRead($"{record.Path}/{OperationRecord.FileName}"))
        {
            if (FileLock.IsTaken(file))
                return OperationState.Running;
        }

        return isBeingUndone ? OperationState.BeingUndone
            : record.IsEnded ? OperationState.Done
            : record.WaitsFor is not null ? OperationState.Waiting
            : OperationState.Unfinished;
    }

    /// <summary>What is in an operation's folder beside its journal.</summary>
    private static TreeSize Kept(TreeSize all, OperationRecord record) => all with
    {
        Bytes = Math.Max(0, all.Bytes - record.Length),
        Files = Math.Max(0, all.Files - 1),
    };

    private static string? RealPath(string path)
    {
        if (!Directory.Exists(path))
            return null;
        using var folder = Folder.Open(path);
        return folder.RealPath;
    }
}
