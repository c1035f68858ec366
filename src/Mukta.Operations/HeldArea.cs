using System.Globalization;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Where one operation keeps what it removes and overwrites: on the same file system, so that a rename is enough. Nothing in
/// it is ever overwritten. Every deed is written down, and the line is on the disk, before it is done; so whatever happens
/// in the middle, <see cref="Undoer"/> can tell what was done and what was not. Not for use by several threads at once.
/// </summary>
internal sealed class HeldArea : IDisposable
{
    /// <summary>Where the areas of an install's own operations are.</summary>
    public const string OfInstall = OwnFolders.Name + "/held";

    private readonly Folder anchor;
    private readonly SafeFileHandle record;
    private readonly HashSet<string> foldersNoted = new(StringComparer.Ordinal);
    private readonly bool isLasting;
    private long recordLength;

    private HeldArea(Folder anchor, string path, SafeFileHandle record, long recordLength, bool isLasting)
    {
        (this.anchor, Path, this.record, this.recordLength, this.isLasting) = (anchor, path, record, recordLength, isLasting);
    }

    /// <summary>The operation's folder, relative to the anchor.</summary>
    public string Path { get; }

    /// <summary>Which line of another operation's record the lines that follow undo; null for none.</summary>
    public int? Undoing { get; set; }

    /// <summary>True once something is kept here.</summary>
    public bool HoldsSomething { get; private set; }

    /// <summary>Makes the area of a new operation.</summary>
    /// <param name="anchor">What all paths are relative to.</param>
    /// <param name="parent">The folder that holds the areas of all operations, such as <see cref="OfInstall"/>.</param>
    /// <param name="header">What the record begins with.</param>
    /// <param name="isLasting">False where nothing is lost if the record does not outlast a loss of power.</param>
    public static HeldArea Begin(Folder anchor, string parent, OperationHeader header, bool isLasting = true)
    {
        var path = $"{parent}/{header.Operation}";
        OwnFolders.Ensure(anchor, path);
        var file = $"{path}/{OperationRecord.FileName}";
        var area = new HeldArea(anchor, path, anchor.CreateFile(file, 0b110_100_100), 0, isLasting);
        try
        {
            var like = anchor.Look(path)!.Value;
            anchor.SetOwner(file, like.User, like.Group);
            area.KeepOthersOff();
            area.Append(OperationRecord.Line(header));
            anchor.Flush(path);
            anchor.Flush(parent);
            return area;
        }
        catch
        {
            area.Dispose();
            throw;
        }
    }

    /// <summary>Takes up the area of an operation that was interrupted. A line that was only half written is taken away.</summary>
    public static HeldArea Reopen(Folder anchor, OperationRecord left, bool isLasting = true)
    {
        var file = anchor.OpenOrCreateFile($"{left.Path}/{OperationRecord.FileName}", 0b110_100_100);
        var area = new HeldArea(anchor, left.Path, file, left.Length, isLasting) { HoldsSomething = left.Lines.Any(l => l.HeldAt is not null) };
        try
        {
            area.KeepOthersOff();
            RandomAccess.SetLength(file, left.Length);
            return area;
        }
        catch
        {
            area.Dispose();
            throw;
        }
    }

    /// <summary>Goes on with an operation that was interrupted: does what belongs to deeds that were done, and would not be asked for again.</summary>
    public static HeldArea Resume(Folder anchor, OperationRecord left, bool isLasting = true)
    {
        var area = Reopen(anchor, left, isLasting);
        foreach (var renamed in left.Lines.Where(l => l.Act == "renamed" && anchor.Look(l.From!) is null))
            area.RemoveEmptyFolders(OwnFolders.Of(renamed.From!));
        return area;
    }

    /// <summary>Moves what stands at a path here.</summary>
    /// <returns>Where it is now, relative to the anchor.</returns>
    public string Hold(string path)
    {
        var at = RoomFor(path);
        NoteFolderOf(path);
        Note(new OperationLine("held", path, at));
        anchor.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
        return $"{Path}/{at}";
    }

    /// <summary>
    /// Puts a finished file where an old one stands. The old one gets a second name here first, so that the path always leads
    /// to a whole file; where the disk knows no second names it is moved here just before.
    /// </summary>
    public void Replace(string finished, string path)
    {
        var at = RoomFor(path);
        NoteFolderOf(path);
        Note(new OperationLine("replaced", path, at));
        if (!anchor.TryLink(path, $"{Path}/{at}"))
            anchor.Move(path, $"{Path}/{at}");
        HoldsSomething = true;
        anchor.Move(finished, path, replace: true);
    }

    /// <summary>Puts a finished file, folder or link where nothing stands.</summary>
    public void Place(string finished, string path)
    {
        NoteFolderOf(path);
        Note(new OperationLine("made", path));
        anchor.Move(finished, path);
    }

    /// <summary>Moves a folder here and leaves an empty one in its place with the same owner, group and mode, at once.</summary>
    /// <returns>Where it is now, relative to the anchor.</returns>
    public string HoldContents(string path)
    {
        var at = RoomFor(path);
        var was = anchor.Look(path) ?? throw new DiskException(DiskException.NoEntry, "look at", path);
        NoteFolderOf(path);
        anchor.MakeFolder($"{Path}/{at}", was.Mode & 0x1FF);
        anchor.SetOwner($"{Path}/{at}", was.User, was.Group);
        anchor.SetMode($"{Path}/{at}", was.Mode);
        Note(new OperationLine("emptied", path, at) { Inode = was.Inode });
        anchor.Exchange($"{Path}/{at}", path, $"{Path}/{at}~aside");
        HoldsSomething = true;
        return $"{Path}/{at}";
    }

    /// <summary>Keeps a finished copy of what stands at a path, as if it had been moved here: an undo puts the copy back.</summary>
    /// <param name="copy">The copy.</param>
    /// <param name="path">What it is a copy of.</param>
    /// <param name="at">Where it goes, where an interrupted run has written it down; else null.</param>
    public void HoldCopy(string copy, string path, string? at)
    {
        if (at is null)
        {
            at = RoomFor(path);
            NoteFolderOf(path);
            Note(new OperationLine("held", path, at));
        }

        anchor.Move(copy, $"{Path}/{at}");
        HoldsSomething = true;
    }

    /// <summary>Puts a finished folder in the place of another at once; the old one is kept here. Done before, it ends what was begun.</summary>
    /// <param name="finished">The finished folder; gone where this was begun before.</param>
    /// <param name="path">Where it belongs.</param>
    /// <param name="before">What this operation has written down before it was interrupted.</param>
    /// <returns>Where the old one is now, relative to the anchor.</returns>
    public string Swap(string finished, string path, IReadOnlyList<OperationLine> before)
    {
        var begun = before.LastOrDefault(l => l.Act == "emptied" && l.Path == path);
        var at = begun?.HeldAt ?? RoomFor(path);
        var (kept, aside) = ($"{Path}/{at}", $"{Path}/{at}~aside");
        if (begun is null)
        {
            NoteFolderOf(path);
            Note(new OperationLine("emptied", path, at) { Inode = anchor.Look(path)!.Value.Inode });
        }

        if (anchor.Look(finished) is not null)
            anchor.Move(finished, kept);
        if (anchor.Look(aside) is not null)
        {
            if (anchor.Look(path) is null)
                anchor.Move(kept, path); // A disk that cannot swap was interrupted between its three steps.
            anchor.Move(aside, kept);
        }
        else if (begun is null || anchor.Look(path)?.Inode == begun.Inode)
        {
            anchor.Exchange(kept, path, aside);
        }

        HoldsSomething = true;
        anchor.Flush(OwnFolders.Of(path));
        anchor.Flush(OwnFolders.Of(kept));
        return kept;
    }

    /// <summary>Makes sure that a folder is there, and writes down each that has to be made.</summary>
    public void EnsureFolder(string path)
    {
        if (path.Length == 0 || anchor.Look(path) is { Kind: NodeKind.Folder })
            return;
        EnsureFolder(OwnFolders.Of(path));
        NoteFolderOf(path);
        Note(new OperationLine("folder-made", path));
        OwnFolders.Ensure(anchor, path);
    }

    /// <summary>Takes an empty folder away. False where something is in it.</summary>
    public bool TryRemoveFolder(string path)
    {
        if (anchor.Look(path) is not { } was || TreeWalk.NamesIn(anchor, path).Count > 0)
            return false;
        NoteFolderOf(path);
        Note(new OperationLine("folder-removed", path) { Mode = Octal(was.Mode), User = was.User, Group = was.Group, ModifiedNs = was.ModifiedNs });
        return anchor.TryRemoveEmptyFolder(path);
    }

    /// <summary>Takes a folder away if it is empty, and then the ones around it.</summary>
    public void RemoveEmptyFolders(string folder)
    {
        while (folder.Length > 0 && TryRemoveFolder(folder))
            folder = OwnFolders.Of(folder);
    }

    /// <summary>Gives something another name.</summary>
    public void Rename(string from, string to, bool replace = false)
    {
        NoteFolderOf(from);
        NoteFolderOf(to);
        Note(new OperationLine("renamed", to) { From = from });
        anchor.Move(from, to, replace);
    }

    /// <summary>Sets the permission bits.</summary>
    public void SetMode(string path, int mode)
    {
        Note(new OperationLine("mode", path) { Mode = Octal(anchor.Look(path)!.Value.Mode) });
        anchor.SetMode(path, mode);
    }

    /// <summary>
    /// Overwrites a range of a file whose bytes are already known to be wrong. The old ones are kept, and are on the disk,
    /// before the first new one is written.
    /// </summary>
    /// <param name="path">The file.</param>
    /// <param name="file">It, open for reading and writing.</param>
    /// <param name="offset">Where the range begins.</param>
    /// <param name="length">How long it is.</param>
    /// <param name="from">Writes the new bytes.</param>
    public void Patch(string path, SafeFileHandle file, long offset, long length, Action from)
    {
        var at = RoomFor(string.Create(CultureInfo.InvariantCulture, $"{path}~bytes-{offset}"));
        using (var kept = anchor.CreateFile($"{Path}/{at}", 0b110_000_000))
        {
            anchor.Passing();
            FileBytes.Copy(file, offset, kept, 0, length);
            FileBytes.Flush(kept, $"{Path}/{at}");
        }

        anchor.Flush(OwnFolders.Of($"{Path}/{at}"));
        Note(new OperationLine("patched", path, at) { Offset = offset, Length = length, ModifiedNs = anchor.Look(path)!.Value.ModifiedNs });
        HoldsSomething = true;
        anchor.Passing();
        from();
    }

    /// <summary>Writes down something that is done to a path, and sees to it that the line outlasts a loss of power. Comes before the deed.</summary>
    public void Note(OperationLine line)
    {
        Append(OperationRecord.Line(line with { Undoes = Undoing }));
        Flush();
    }

    /// <summary>Writes down that the operation is done: the same command does not go on with it any more.</summary>
    public void End() => Note(new OperationLine(OperationRecord.EndAct, ""));

    public void Flush()
    {
        if (!isLasting)
            return;
        anchor.Passing();
        FileBytes.Flush(record, $"{Path}/{OperationRecord.FileName}");
    }

    public void Dispose() => record.Dispose();

    internal static string Octal(int mode) => "0" + Convert.ToString(mode & 0xFFF, 8).PadLeft(3, '0');

    /// <summary>The time of a folder's last change is put back too; so it is written down before the first change in it.</summary>
    private void NoteFolderOf(string path)
    {
        var folder = OwnFolders.Of(path);
        if (foldersNoted.Contains(folder))
            return;
        if (anchor.Look(folder.Length == 0 ? "." : folder) is { } node)
            Append(OperationRecord.Line(new OperationLine("changes-in", folder) { ModifiedNs = node.ModifiedNs, Undoes = Undoing }));
        foldersNoted.Add(folder);
    }

    /// <summary>Keeps a second Mukta off the operation. The lock is the kernel's and dies with its process.</summary>
    private void KeepOthersOff()
    {
        var tries = 0;
        while (Native.Lock(record, Native.LockExclusive | Native.LockNonBlocking) != 0 && ++tries <= 20)
            Thread.Sleep(25); // Whoever starts a program shares its open files with it for a moment.
        if (tries > 20)
            throw new MuktaException(ExitCode.Blocked, "Another run of mukta is working on this operation.", PathBytes.Shown(System.IO.Path.Join(anchor.Path, Path)), "Wait until it has finished, then run the same command again.");
    }

    private string RoomFor(string path)
    {
        var at = $"files/{path}";
        for (var copy = 2; anchor.Look($"{Path}/{at}") is not null; copy++)
            at = $"files/{path}~{copy}";
        OwnFolders.Ensure(anchor, OwnFolders.Of($"{Path}/{at}"));
        return at;
    }

    private void Append(ReadOnlySpan<byte> line)
    {
        anchor.Passing();
        FileBytes.Write(record, line, recordLength, $"{Path}/{OperationRecord.FileName}");
        anchor.Passing();
        FileBytes.Write(record, "\n"u8, recordLength + line.Length, $"{Path}/{OperationRecord.FileName}");
        recordLength += line.Length + 1;
    }
}
