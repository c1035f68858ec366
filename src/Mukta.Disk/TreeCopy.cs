using System.IO.Hashing;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>Copies a tree with kinds, modes, owners and times, following no link; files with several names keep them.</summary>
/// <param name="source">Where it is.</param>
/// <param name="target">Where it goes; the same or another file system.</param>
/// <param name="way">How.</param>
public sealed class TreeCopy(Folder source, Folder target, CopyWay way)
{
    private readonly Dictionary<(ulong Device, ulong Inode), string> names = [];
    private readonly List<string> leftOut = [];
    private long files, bytes;

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
        var top = source.Look(from) ?? throw new DiskException(DiskException.NoEntry, "look at", Path.Join(source.Path, from));
        var folders = new List<(string Path, Node Node)> { (to, top) };
        MakeFolder(to);
        using var tree = Folder.Open(Path.Join(source.Path, from));
        foreach (var entry in TreeWalk.Entries(tree, skip, cancel))
        {
            if (entry.Failure is { } failure)
                throw failure;
            var (node, copy) = (entry.Node!.Value, $"{to}/{entry.Path}");
            switch (node.Kind)
            {
                case NodeKind.Folder:
                    MakeFolder(copy);
                    folders.Add((copy, node));
                    break;
                case NodeKind.Special:
                    leftOut.Add(entry.Path);
                    break;
                default:
                    if (!IsDone(copy, node))
                        Put($"{from}/{entry.Path}", copy, node, meter, cancel);
                    files++;
                    break;
            }
        }

        foreach (var (path, node) in Enumerable.Reverse(folders))
        {
            target.Flush(path);
            CopyMetadata(path, node); // Not before all is in it: that changes its time, and its mode may forbid it.
        }

        target.Flush(Folder.ParentOf(to));
        return new CopiedTree(files, bytes, leftOut);
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
            Put(from, to, node, null, CancellationToken.None);
        }
    }

    private void MakeFolder(string path)
    {
        if (target.Look(path) is not { Kind: NodeKind.Folder })
            target.MakeFolder(path, 0b111_000_000);
        else
            target.SetMode(path, 0b111_000_000);
    }

    /// <summary>The time is set last: a copy that has it is whole.</summary>
    private bool IsDone(string copy, in Node node)
    {
        if (target.Look(copy) is not { } there)
            return false;
        if (there.Kind == node.Kind && there.Size == node.Size && there.ModifiedNs == node.ModifiedNs)
        {
            names.TryAdd((node.Device, node.Inode), copy);
            return true;
        }

        target.RemoveFile(copy);
        return false;
    }

    private void Put(string from, string to, in Node node, WorkMeter? meter, CancellationToken cancel)
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
        if (way == CopyWay.HardLinks && ReferenceEquals(source, target) && source.TryLink(from, to))
            return;
        CopyFile(from, to, node, meter, cancel);
        CopyMetadata(to, node);
    }

    private void CopyFile(string from, string to, in Node node, WorkMeter? meter, CancellationToken cancel)
    {
        using var old = source.OpenRead(from);
        using var copy = target.CreateFile(to, 0b110_000_000);
        if (way == CopyWay.HardLinks && copy.TryClone(old))
        {
            copy.Flush();
            return;
        }

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
