using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Where one operation keeps what it removes and overwrites, in one place: on the same mount, so that a rename is enough. Every change is
/// written down, and is on the disk, before it is made. Not for use by several threads at once.
/// </summary>
public sealed class KeptArea : IDisposable
{
    /// <summary>The folder of all operations in Mukta's own folder.</summary>
    public const string FolderName = "kept";

    /// <summary>Where an install's own operations are.</summary>
    public const string OfInstall = OwnFolder.Name + "/" + FolderName;

    private readonly Folder anchor;
    private readonly Folder? owned;
    private readonly string prefix;
    private readonly Journal journal;
    private readonly ChangeSite site;
    private readonly ChangeRunner runner;

    private KeptArea(AreaPlace place, string kept, Journal journal, bool isLasting)
    {
        (anchor, owned, prefix, this.journal) = (place.Anchor, place.IsOwned ? place.Anchor : null, place.Prefix, journal);
        site = new ChangeSite(anchor, kept);
        runner = new ChangeRunner(site, journal, isLasting);
    }

    /// <summary>The operation's folder.</summary>
    public string Path => prefix.Length == 0 ? site.Kept : $"{prefix}/{site.Kept}";

    /// <summary>How the operation begins.</summary>
    public OperationHeader Header => journal.Header;

    /// <summary>All that was written down here.</summary>
    public IReadOnlyList<Change> Changes => journal.Changes;

    /// <summary>Which change of another operation the changes that follow undo; null for none.</summary>
    internal int? Undoing
    {
        get => runner.Undoing;
        set => runner.Undoing = value;
    }

    /// <summary>In an undo: the changes that an interrupted run of it may have put back in part.</summary>
    internal IReadOnlySet<int> BegunBefore { get; set; } = new HashSet<int>();

    /// <summary>True once something is kept here.</summary>
    public bool KeepsSomething => journal.Changes.Any(c => c.Keeps);

    /// <summary>Begins an operation in a place.</summary>
    /// <param name="anchor">What all paths are relative to.</param>
    /// <param name="parent">The folder of all operations there, such as <see cref="OfInstall"/>.</param>
    /// <param name="header">The first line of its journal.</param>
    /// <param name="isLasting">False if nothing is lost with the journal in a loss of power.</param>
    public static KeptArea Begin(Folder anchor, string parent, OperationHeader header, bool isLasting = true) =>
        Begin(new AreaPlace(anchor), parent, header, isLasting);

    internal static KeptArea Begin(AreaPlace place, string parent, OperationHeader header, bool isLasting = true)
    {
        var (anchor, path) = (place.Anchor, $"{parent}/{header.Operation}");
        anchor.EnsureFolder(path);
        if (place.StaysRoots && CurrentUser.Number == 0)
            anchor.SetOwner(path, 0, 0); // Only root may write down what root is to put back.
        anchor.EnsureFolder($"{path}/{ChangeSite.FolderName}");
        var area = new KeptArea(place, path, Journal.Create(anchor, path, header, isLasting), isLasting);
        try
        {
            if (isLasting)
                FlushNames(anchor, path);
            return area;
        }
        catch
        {
            area.Dispose();
            throw;
        }
    }

    /// <summary>
    /// Goes on with an operation that was interrupted, and does what belongs to changes that were made and would not be asked for again.
    /// </summary>
    public static KeptArea Resume(Folder anchor, string path, bool isLasting = true) => Resume(new AreaPlace(anchor), path, isLasting);

    internal static KeptArea Resume(AreaPlace place, string path, bool isLasting = true)
    {
        var area = Reopen(place, path, isLasting);
        try
        {
            foreach (var renamed in area.Changes.OfType<Renamed>().Where(r => area.site.Look(r.From) is null).ToList())
                area.RemoveEmpty(Folder.ParentOf(renamed.From));
            return area;
        }
        catch
        {
            area.Dispose();
            throw;
        }
    }

    /// <summary>Opens an operation's area again. Changes that were written down last and not made are written down as that.</summary>
    internal static KeptArea Reopen(AreaPlace place, string path, bool isLasting = true)
    {
        var (journal, record) = Journal.Open(place.Anchor, path, isLasting);
        var area = new KeptArea(place, path, journal, isLasting);
        using var identity = JournalTrust.IdentityFor(place.Anchor, record);
        try
        {
            place.Anchor.EnsureFolder(area.site.Files);
            if (isLasting)
                FlushNames(place.Anchor, path);
            area.runner.Settle(record);
            return area;
        }
        catch
        {
            area.Dispose();
            throw;
        }
    }

    /// <summary>The operation's folder and its journal are there after a loss of power, whichever run has made them.</summary>
    private static void FlushNames(Folder anchor, string path)
    {
        anchor.FlushWayTo(path);
        anchor.Flush(path);
    }

    /// <summary>Makes one change.</summary>
    /// <exception cref="DiskException">It failed, and is written down as not made.</exception>
    public void Do(Change change)
    {
        if (Do([change])[0] is { } failure)
            System.Runtime.ExceptionServices.ExceptionDispatchInfo.Throw(failure);
    }

    /// <summary>Makes a batch of changes that do not depend on each other: see <see cref="ChangeRunner.Do"/>.</summary>
    public IReadOnlyList<Exception?> Do(IReadOnlyList<Change> changes) => runner.Do(changes);

    /// <summary>Flushes the folders whose names were changed and are not flushed yet.</summary>
    public void Flush() => runner.Flush();

    /// <summary>Moves what is at a path to the kept files.</summary>
    /// <returns>Where it is now.</returns>
    public string SetAside(string path)
    {
        Do(new SetAside(Below(path)));
        return LastKept;
    }

    /// <summary>Puts a finished file in the place of an old one, which is kept.</summary>
    public void Replace(string finished, string path) => Do(new Replaced(Below(path), Below(finished)));

    /// <summary>Puts a finished file, folder or link where nothing is.</summary>
    public void Place(string finished, string path) => Do(new Placed(Below(path), Below(finished)));

    /// <summary>Puts a finished folder in the place of another at once; the old one is kept.</summary>
    /// <returns>Where the old one is now.</returns>
    public string Swap(string finished, string path)
    {
        Swap(Below(path), Below(finished), site.Look(Below(path)));
        return LastKept;
    }

    /// <summary>
    /// Moves a folder to the kept files and leaves an empty one in its place with the same owner, group and mode, at once.
    /// </summary>
    /// <returns>Where the full one is now.</returns>
    public string EmptyFolder(string path)
    {
        var was = site.Look(Below(path)) ?? throw new DiskException(DiskException.NoEntry, "look at", path);
        var staged = $"{site.Kept}/empty";
        if (site.Look(staged) is null)
            anchor.MakeFolder(staged, was.Mode & 0x1FF);
        anchor.SetOwner(staged, was.User, was.Group);
        anchor.SetMode(staged, was.Mode);
        Swap(Below(path), staged, was);
        return LastKept;
    }

    private void Swap(string path, string staged, Node? old) => Do(new Swapped(path, staged, old?.Inode ?? 0)
    {
        ModifiedNs = old?.ModifiedNs ?? 0,
        StagedModifiedNs = site.Look(staged)?.ModifiedNs ?? 0,
    });

    /// <summary>Keeps a finished copy of what is at a path: an undo puts the copy back.</summary>
    public void KeepCopy(string copy, string path) => Do(new CopyKept(Below(path), Below(copy)));

    /// <summary>Makes sure that a folder is there, and writes down each that has to be made.</summary>
    public void EnsureFolder(string path) => Ensure(Below(path));

    /// <summary>
    /// Makes the folders of a batch together, those of one depth at a time. What fails is written down and left to <see
    /// cref="EnsureFolder"/>, which says why.
    /// </summary>
    public void MakeMissingFolders(IEnumerable<string> paths)
    {
        var missing = new HashSet<string>(StringComparer.Ordinal);
        foreach (var path in paths.Select(Below))
        {
            var folder = path;
            while (folder.Length > 0 && !missing.Contains(folder) && site.Look(folder) is null)
            {
                missing.Add(folder);
                folder = Folder.ParentOf(folder);
            }
        }

        foreach (var level in missing.GroupBy(f => f.Count(c => c == '/')).OrderBy(g => g.Key))
        {
            if (Do([.. level.Order(StringComparer.Ordinal).Select(f => new FolderMade(f))]).Any(failure => failure is not null))
                return;
        }
    }

    /// <summary>Removes an empty folder. False if something is in it.</summary>
    public bool TryRemoveFolder(string path) => TryRemove(Below(path));

    /// <summary>Removes a folder if it is empty, and then the ones around it.</summary>
    public void RemoveEmptyFolders(string folder) => RemoveEmpty(Below(folder));

    /// <summary>Gives something another name or place.</summary>
    public void Rename(string from, string to) => Do(Renaming(Below(from), Below(to)));

    /// <summary>Sets permission bits.</summary>
    public void SetMode(string path, int mode) => Do(ModeChange(path, mode));

    /// <summary>The change that sets permission bits, for a batch.</summary>
    public Change ModeChange(string path, int mode) =>
        new ModeSet(Below(path), Octal.Of(site.Look(Below(path))?.Mode ?? mode), Octal.Of(mode));

    /// <summary>Where the operation keeps what it has moved away from a path, or a copy of it; null if it does not.</summary>
    public string? KeptOf(string path) => AllKeptOf(path) is [var last, ..] ? last : null;

    /// <summary>All that the operation keeps of a path, the last one first.</summary>
    public IReadOnlyList<string> AllKeptOf(string path) =>
        [.. Changes.Where(
        c => c is Swapped or Operations.SetAside or CopyKept && c.Subject == Below(path) && !IsNotMade(c)
        && site.Look(site.At(c)) is not null)
            .Reverse().Select(c => prefix.Length == 0 ? site.At(c) : $"{prefix}/{site.At(c)}")];

    /// <summary>True if the operation has put something at a path.</summary>
    public bool HasPlaced(string path) => Changes.Any(c => c is Placed or Swapped or Renamed && c.Subject == Below(path) && !IsNotMade(c));

    /// <summary>Writes down that the operation is done: the same command does not go on with it any more.</summary>
    public void End() => Note(new Ended());

    /// <summary>Deletes everything that is kept here. Nothing brings it back.</summary>
    public void DeleteKept(CancellationToken cancel)
    {
        foreach (var name in TreeWalk.NamesIn(anchor, site.Files))
            TreeBulk.Remove(anchor, $"{site.Files}/{name}", cancel);
    }

    /// <summary>Writes a note down.</summary>
    public void Note(params IReadOnlyList<Change> notes) => journal.Append([.. notes.Select(n => n with { Undoes = n.Undoes ?? Undoing })]);

    /// <inheritdoc/>
    public void Dispose()
    {
        journal.Dispose();
        owned?.Dispose();
    }

    /// <summary>Puts back what a change keeps: what is in its place meanwhile is set aside.</summary>
    internal void PutBack(ChangeSite of, Change change, string path)
    {
        if (BegunBefore.Contains(change.Number)
            && Changes.Any(c => c.Undoes == change.Number && c is Placed or Replaced or Swapped && !IsNotMade(c)))
            return; // Done before an interruption.
        if (of.Look(of.At(change)) is null)
            throw new NotRestoredException("what was kept of it is gone");
        if (site.Look(path) is not null)
            Do(new SetAside(path));
        Ensure(Folder.ParentOf(path));
        Do(new Placed(path, of.At(change)));
    }

    /// <summary>
    /// In the undo of an undo: what the undo had put back goes to where it was kept before, so that the kept files of the first operation
    /// are as they were. Nothing happens if that place is gone.
    /// </summary>
    internal void Return(Change change, string from, string to)
    {
        if (change.Undoes is not null && site.Look(from) is not null && site.Look(to) is null
            && site.Look(Folder.ParentOf(to)) is { Kind: NodeKind.Folder })
            Do(Renaming(from, to));
    }

    /// <summary>Where what the last change took away is kept, relative to the anchor.</summary>
    internal string LastKeptHere => site.At(Last);

    /// <summary>True if an interrupted run of this undo has set aside what a change had placed.</summary>
    internal bool HasSetAside(Change change, string path) =>
        BegunBefore.Contains(change.Number)
        && Changes.Any(
        c => c.Undoes == change.Number && (c is SetAside aside ? aside.Path == path : c is Renamed renamed && renamed.From == path)
        && !IsNotMade(c));

    private Renamed Renaming(string from, string to) => new(to, from) { Inode = site.Look(from)?.Inode };

    private bool IsNotMade(Change change) => Changes.Any(c => c is NotDone not && not.Of == change.Number);

    private string LastKept => prefix.Length == 0 ? site.At(Last) : $"{prefix}/{site.At(Last)}";

    private Change Last => journal.Changes.Last(c => c.Keeps);

    /// <summary>A path as this area's journal has it.</summary>
    private string Below(string path) => prefix.Length == 0 ? path
        : path == prefix ? ""
        : path.StartsWith(prefix + "/", StringComparison.Ordinal) ? path[(prefix.Length + 1)..]
        : throw new ArgumentException($"{path} is not in the folder that this area belongs to, {prefix}.", nameof(path));

    private void Ensure(string path)
    {
        if (path.Length == 0 || site.Look(path) is { Kind: NodeKind.Folder })
            return;
        Ensure(Folder.ParentOf(path));
        Do(new FolderMade(path));
    }

    private bool TryRemove(string path)
    {
        if (site.Look(path) is not { Kind: NodeKind.Folder } was || TreeWalk.NamesIn(anchor, path).Count > 0)
            return false;
        Do(new FolderRemoved(path, Octal.Of(was.Mode), was.User, was.Group, was.ModifiedNs));
        return site.Look(path) is null;
    }

    private void RemoveEmpty(string folder)
    {
        while (folder.Length > 0 && (site.Look(folder) is null || TryRemove(folder)))
            folder = Folder.ParentOf(folder);
    }
}
