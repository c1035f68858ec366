using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Makes the changes of one operation. They are written down, and that is on the disk, before they are made; many small ones share their
/// flushes.
/// </summary>
/// <param name="site">Where they are made.</param>
/// <param name="journal">Where they are written down.</param>
/// <param name="isLasting">False if nothing is lost with the journal in a loss of power.</param>
internal sealed class ChangeRunner(ChangeSite site, Journal journal, bool isLasting)
{
    private readonly HashSet<string> foldersNoted = new(StringComparer.Ordinal);
    private readonly HashSet<string> foldersToFlush = new(StringComparer.Ordinal);

    /// <summary>Which change of another operation the changes that follow undo; null for none.</summary>
    public int? Undoing { get; set; }

    /// <summary>
    /// Makes a batch of changes that do not depend on each other. They are written down and flushed together before, and the folders they
    /// change are flushed together after; one that fails keeps none of the others from being made.
    /// </summary>
    /// <returns>For each change why it was not made; null if it was.</returns>
    /// <exception cref="DiskException">They cannot be written down; none was made.</exception>
    public IReadOnlyList<Exception?> Do(IReadOnlyList<Change> changes)
    {
        var times = changes.SelectMany(c => c.Folders).Distinct(StringComparer.Ordinal).Where(f => !foldersNoted.Contains(f))
            .Select(f => (Path: f, Node: site.Look(f.Length == 0 ? "." : f))).Where(f => f.Node is { Kind: NodeKind.Folder }).ToList();
        var written = journal.Append(
            [.. times.Select(t => new FolderTime(t.Path, t.Node!.Value.ModifiedNs) { Undoes = Undoing }),
            .. changes.Select(c => c with { Undoes = c.Undoes ?? Undoing })]);
        foldersNoted.UnionWith(times.Select(t => t.Path));
        Change[] made = [.. written.Skip(times.Count)];
        var failures = new Exception?[made.Length];
        for (var i = 0; i < made.Length; i++)
            failures[i] = Tried(() => made[i].Prepare(site));
        if (isLasting && made.Any(c => c.Keeps) && Tried(() => site.Anchor.Flush(site.Files)) is { } unflushed)
            failures = [.. failures.Select(f => f ?? unflushed)]; // What is kept may not outlast a loss of power, so nothing is replaced.
        for (var i = 0; i < made.Length; i++)
            failures[i] ??= Tried(() => made[i].Apply(site));
        foldersToFlush.UnionWith(made.SelectMany(c => c.Folders));
        if (made.Any(c => c.Keeps))
            foldersToFlush.Add(site.Files);
        var late = isLasting ? Tried(Flush) : null;
        WriteDownFailures(made, failures);
        if (late is not null)
            System.Runtime.ExceptionServices.ExceptionDispatchInfo.Throw(late);
        return failures;
    }

    /// <summary>Flushes the folders whose names were changed and are not flushed yet.</summary>
    public void Flush()
    {
        foreach (var folder in foldersToFlush.Where(IsThere))
            site.Anchor.Flush(folder);
        foldersToFlush.Clear();
    }

    /// <summary>
    /// Brings what was written down last, and may be half done, to one side or the other. What is not done is written down as that.
    /// </summary>
    /// <param name="record">All that was written down before.</param>
    public void Settle(OperationRecord record)
    {
        List<Change> last = [.. record.Changes.Skip(record.LastLine)];
        var notMade = record.NotMade();
        List<Change> left =
            [.. last.Where(c => !notMade.Contains(c.Number) && !c.Settle(site)).Select(c => new NotDone(c.Number, "interrupted"))];
        IReadOnlyList<Change> unflushed = isLasting ? last : record.Changes;
        foreach (var change in unflushed)
            _ = Tried(() => change.FlushBytes(site)); // What cannot be flushed may be changed or gone since.
        foreach (var folder in unflushed.SelectMany(c => c.Folders).Append(site.Files).Distinct(StringComparer.Ordinal).Where(IsThere))
            site.Anchor.Flush(folder);
        foreach (var folder in record.Changes.OfType<FolderTime>())
            foldersNoted.Add(folder.Path);
        if (left.Count > 0 || last.Any(c => c.UndoPhrase is not null))
            journal.Append([.. left, new Settled()]); // The next run does not ask again: this one may stage or make the same once more.
    }

    private bool IsThere(string folder) => folder.Length == 0 || site.Look(folder) is { Kind: NodeKind.Folder };

    /// <summary>
    /// A change that failed in its middle is brought to one side or the other; what is not done then is written down as that.
    /// </summary>
    private void WriteDownFailures(Change[] made, Exception?[] failures)
    {
        var notMade = new List<Change>();
        for (var i = 0; i < made.Length; i++)
        {
            if (failures[i] is { } failure && (Tried(() => made[i].Settle(site)) is not null || !made[i].Settle(site)))
                notMade.Add(new NotDone(made[i].Number, failure is MuktaException known ? known.What : failure.Message));
        }

        if (notMade.Count > 0)
            _ = Tried(() => journal.Append(notMade)); // If not, the next run finds out again.
    }

    private static Exception? Tried(Action act)
    {
        try
        {
            act();
            return null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return e;
        }
    }
}
