using System.IO.Hashing;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>Copies a tree with kinds, modes, owners and times, following no link; files with several names keep them.</summary>
/// <param name="source">Where it is.</param>
/// <param name="target">Where it goes; the same or another file system.</param>
/// <param name="way">How.</param>
public sealed class TreeCopy(Folder source, Folder target, CopyWay way)
{
    /// <summary>So often a tree is checked again while it goes on changing.</summary>
    private const int MostLooks = 8;

    private readonly Dictionary<(ulong Device, ulong Inode), string> names = [];
    private readonly Dictionary<string, Node> copied = new(StringComparer.Ordinal);
    private readonly List<string> leftOut = [], linked = [];
    private long files, bytes;
    private bool cannotClone;

    /// <summary>
    /// Which files may get a second name where the file system does not let two share their bytes: their paths relative to the tree, and
    /// what they are. Null for none.
    /// </summary>
    public Func<string, Node, bool>? MayLink { get; init; }

    /// <summary>
    /// What was changed since then, in nanoseconds since 1970 UTC, is not taken for copied though an interrupted copy has it with the same
    /// size and time.
    /// </summary>
    public long SuspectSinceNs { get; init; } = long.MaxValue;

    /// <summary>Copies a tree, or goes on with a copy that was interrupted.</summary>
    /// <param name="from">The tree, relative to the source.</param>
    /// <param name="to">Its copy, relative to the target; the folder around it is there.</param>
    /// <param name="skip">Paths, relative to the tree, that are left out with all they hold.</param>
    /// <param name="meter">Counts the bytes.</param>
    /// <param name="cancel">Interrupts between files and in the middle of one.</param>
    /// <exception cref="DiskException">Something cannot be read or written.</exception>
    /// <exception cref="MuktaException">A file does not read back as it was written, or changes while it is copied.</exception>
    public CopiedTree Copy(string from, string to, Func<string, bool>? skip, WorkMeter? meter, CancellationToken cancel)
    {
        Pass(from, to, skip, meter, cancel);
        Finish(to);
        return new CopiedTree(files, bytes, leftOut) { Linked = linked };
    }

    /// <summary>
    /// The same for a tree that somebody may change meanwhile: it is checked again until nothing has changed since the look before. What
    /// is gone from it goes from the copy.
    /// </summary>
    /// <inheritdoc cref="Copy"/>
    /// <exception cref="MuktaException">It goes on changing.</exception>
    public CopiedTree Follow(string from, string to, Func<string, bool>? skip, WorkMeter? meter, CancellationToken cancel)
    {
        if (target.Look(to) is { Kind: NodeKind.Folder })
        {
            using var before = Folder.Open(Path.Join(target.Path, to));
            foreach (var entry in TreeWalk.Entries(before, null, cancel))
                copied.TryAdd(entry.Path, default);
        }

        for (var look = 0; Pass(from, to, skip, meter, cancel) is { } changed; look++)
        {
            if (look == MostLooks)
            {
                throw new MuktaException(
                    ExitCode.Blocked, "This goes on changing while it is copied.", PathBytes.Shown(Path.Join(source.Path, from, changed)),
                    "Close what writes to it, then run the same command again.");
            }

            Finish(to);
        }

        return new CopiedTree(files, bytes, leftOut) { Linked = linked };
    }

    /// <summary>Copies what is not copied yet as it is now.</summary>
    /// <returns>One of the paths that it had something to do with; null if there was none.</returns>
    private string? Pass(string from, string to, Func<string, bool>? skip, WorkMeter? meter, CancellationToken cancel)
    {
        var top = source.Look(from) ?? throw new DiskException(DiskException.NoEntry, "look at", Path.Join(source.Path, from));
        var seen = new HashSet<string>(StringComparer.Ordinal) { "" };
        var changed = Took("", top) ? "" : null;
        if (changed is not null)
            MakeFolder(to);
        names.Clear();
        leftOut.Clear();
        files = 0;
        using var tree = Folder.Open(Path.Join(source.Path, from));
        foreach (var entry in TreeWalk.Entries(tree, skip, cancel))
        {
            if (entry.Failure is { } failure)
                throw failure;
            var (node, copy) = (entry.Node!.Value, $"{to}/{entry.Path}");
            if (node.Kind == NodeKind.Special)
            {
                leftOut.Add(entry.Path);
                continue;
            }

            seen.Add(entry.Path);
            files += node.Kind == NodeKind.Folder ? 0 : 1;
            if (!Took(entry.Path, node))
            {
                names.TryAdd((node.Device, node.Inode), copy);
                continue;
            }

            changed ??= entry.Path;
            if (node.Kind == NodeKind.Folder)
                MakeFolder(copy);
            else if (!IsDone(copy, node, cancel))
                Put($"{from}/{entry.Path}", copy, entry.Path, node, meter, cancel);
        }

        foreach (var gone in copied.Keys.Where(p => !seen.Contains(p)).ToList())
        {
            changed ??= gone;
            copied.Remove(gone);
            if (target.Look($"{to}/{gone}") is not null)
                TreeBulk.Remove(target, $"{to}/{gone}", cancel);
        }

        return changed;
    }

    /// <summary>Notes how something is that is copied now. False if it was copied as it is.</summary>
    private bool Took(string path, in Node node)
    {
        if (copied.TryGetValue(path, out var known) && known.IsSameAs(node) && known.Mode == node.Mode)
            return false;
        copied[path] = node;
        return true;
    }

    /// <summary>Flushes the folders of a copy, and gives them what is set last: all that is put in them changes their time.</summary>
    private void Finish(string to)
    {
        foreach (var (path, node) in copied.Where(c => c.Value.Kind == NodeKind.Folder)
            .Select(c => (Path: c.Key.Length == 0 ? to : $"{to}/{c.Key}", c.Value)).OrderByDescending(c => c.Path, StringComparer.Ordinal))
        {
            target.Flush(path);
            CopyMetadata(path, node); // Its mode may forbid that more is put in it.
        }

        target.Flush(Folder.ParentOf(to));
    }

    /// <summary>Copies whatever is at a path: a file, a link, or a folder with all it holds.</summary>
    /// <exception cref="DiskException">It cannot be read or written, or is a socket, pipe or device.</exception>
    public void CopyAny(string from, string to)
    {
        var node = source.Look(from) ?? throw new DiskException(DiskException.NoEntry, "look at", Path.Join(source.Path, from));
        if (node.Kind == NodeKind.Folder)
        {
            if (Copy(from, to, null, null, CancellationToken.None).LeftOut is [var special, ..])
                throw new DiskException(DiskException.NotSupported, "copy a socket, pipe or device", Path.Join(source.Path, from, special));
        }
        else if (node.Kind == NodeKind.Special)
        {
            throw new DiskException(DiskException.NotSupported, "copy a socket, pipe or device", Path.Join(source.Path, from));
        }
        else
        {
            Put(from, to, "", node, null, CancellationToken.None);
        }
    }

    private void MakeFolder(string path)
    {
        var there = target.Look(path);
        if (there is { Kind: not NodeKind.Folder })
            target.RemoveFile(path);
        if (there is not { Kind: NodeKind.Folder })
            target.MakeFolder(path, 0b111_000_000);
        else
            target.SetMode(path, 0b111_000_000);
    }

    /// <summary>The time is set last: a copy that has it is whole.</summary>
    private bool IsDone(string copy, in Node node, CancellationToken cancel)
    {
        if (target.Look(copy) is not { } there)
            return false;
        if (there.Kind == node.Kind && there.Size == node.Size && there.ModifiedNs == node.ModifiedNs && node.ChangedNs < SuspectSinceNs)
        {
            names.TryAdd((node.Device, node.Inode), copy);
            return true;
        }

        TreeBulk.Remove(target, copy, cancel);
        return false;
    }

    private void Put(string from, string to, string inTree, in Node node, WorkMeter? meter, CancellationToken cancel)
    {
        if (node.Kind == NodeKind.Link)
        {
            target.MakeLink(to, source.ReadLink(from));
            CopyMetadata(to, node);
            return;
        }

        if (node.Links > 1 && names.TryGetValue((node.Device, node.Inode), out var first) && target.TryLink(first, to))
            return;
        names.TryAdd((node.Device, node.Inode), to);
        if (way == CopyWay.Shared && TryShare(from, to, inTree, node))
            return;
        CopyFile(from, to, node, meter, cancel);
        CopyMetadata(to, node);
    }

    /// <summary>Has a copy share the bytes of its original, or be a second name of it if it may.</summary>
    private bool TryShare(string from, string to, string inTree, in Node node)
    {
        if (!cannotClone)
        {
            using (var old = source.OpenRead(from))
            using (var copy = target.CreateFile(to, 0b110_000_000))
            {
                cannotClone = !copy.TryClone(old);
                if (!cannotClone)
                    copy.Flush();
            }

            if (!cannotClone)
            {
                CopyMetadata(to, node);
                return true;
            }

            target.RemoveFile(to);
        }

        if (MayLink?.Invoke(inTree, node) != true || !ReferenceEquals(source, target) || !source.TryLink(from, to))
            return false;
        linked.Add(inTree);
        return true;
    }

    private void CopyFile(string from, string to, in Node node, WorkMeter? meter, CancellationToken cancel)
    {
        using var old = source.OpenRead(from);
        using var copy = target.CreateFile(to, 0b110_000_000);
        var hash = new XxHash128(); // Against what a disk or memory does to bytes, not against anybody who wants to deceive.
        bytes += copy.CopyFrom(old, 0, 0, long.MaxValue, passing =>
        {
            cancel.ThrowIfCancellationRequested();
            hash.Append(passing.Span);
            meter?.Count(passing.Length);
        });
        copy.Flush();
        if (source.Look(from) is not { } after || !after.IsSameAs(node))
        {
            throw new MuktaException(
                ExitCode.Blocked, "A file changed while it was copied.", PathBytes.Shown(Path.Join(source.Path, from)),
                "Close what writes to it, then run the same command again.");
        }

        copy.DropFromMemory();
        if (!Hash(copy.Handle, cancel).AsSpan().SequenceEqual(hash.GetCurrentHash()))
        {
            throw new MuktaException(
                ExitCode.Blocked, "A copy does not read back as it was written.", PathBytes.Shown(Path.Join(target.Path, to)),
                "The original is untouched. Check the system's log for disk errors, and test the machine's memory.");
        }
    }

    private static byte[] Hash(SafeFileHandle file, CancellationToken cancel)
    {
        var buffer = new byte[1 << 20];
        var hash = new XxHash128();
        var done = 0L;
        for (int got; (got = RandomAccess.Read(file, buffer, done)) > 0; done += got)
        {
            cancel.ThrowIfCancellationRequested();
            hash.Append(buffer.AsSpan(0, got));
        }

        return hash.GetCurrentHash();
    }

    private void CopyMetadata(string path, in Node node)
    {
        target.SetOwner(path, node.User, node.Group);
        if (node.Kind != NodeKind.Link && target.Look(path)!.Value.Mode != node.Mode)
            target.SetMode(path, node.Mode);
        target.SetModified(path, node.ModifiedNs);
    }
}
