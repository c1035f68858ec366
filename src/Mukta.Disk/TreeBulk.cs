using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>How much a file or a whole folder holds.</summary>
/// <param name="Bytes">The sum of the files' sizes.</param>
/// <param name="Files">Files, links and other names that are not folders.</param>
/// <param name="LastUsedNs">The latest time at which one was read or changed, nanoseconds since 1970 UTC; 0 where there is none.</param>
/// <param name="Unreadable">Folders that could not be listed.</param>
public readonly record struct TreeSize(long Bytes, long Files, long LastUsedNs, int Unreadable)
{
    /// <summary>The same as <see cref="LastUsedNs"/> as a date; null if there is none.</summary>
    public DateTimeOffset? LastUsed => LastUsedNs > 0 ? DateTimeOffset.UnixEpoch.AddTicks(LastUsedNs / TimeSpan.NanosecondsPerTick) : null;
}

/// <summary>Measures and removes trees of any size in constant memory, following no link.</summary>
public static class TreeBulk
{
    /// <summary>Measures what is at a path.</summary>
    /// <param name="folder">Where the path is below.</param>
    /// <param name="path">A file or folder.</param>
    /// <param name="cancel">Ends the walk.</param>
    public static TreeSize Measure(Folder folder, string path, CancellationToken cancel)
    {
        var sum = new Sum();
        if (folder.Look(path) is { Kind: NodeKind.Folder })
        {
            try
            {
                using var top = folder.OpenFolder(path);
                sum.Add(top, Path.Join(folder.Path, path), 1, cancel);
            }
            catch (DiskException)
            {
                sum.Unreadable++;
            }
        }
        else if (folder.Look(path) is { } node)
        {
            (sum.Bytes, sum.Files, sum.LastUsedNs) = (node.Size, 1, node.ModifiedNs);
        }

        return new TreeSize(sum.Bytes, sum.Files, sum.LastUsedNs, sum.Unreadable);
    }

    /// <summary>Removes what is at a path, permanently.</summary>
    /// <exception cref="DiskException">Something cannot be removed; what was removed before stays removed.</exception>
    public static void Remove(Folder folder, string path, CancellationToken cancel)
    {
        if (folder.Look(path) is not { Kind: NodeKind.Folder })
        {
            folder.RemoveFile(path);
            return;
        }

        using (var top = folder.OpenFolder(path))
            Empty(top, Path.Join(folder.Path, path), 1, cancel);
        if (!folder.TryRemoveEmptyFolder(path))
            throw Folder.Failure("remove the folder", Path.Join(folder.Path, path), DiskException.NotEmpty);
    }

    private static SafeFileHandle? Enter(SafeFileHandle parent, ReadOnlySpan<byte> name, int depth)
    {
        var fd = depth > TreeWalk.DeepestFolder ? -1
            : Native.OpenAt(parent, name, Native.ReadOnly | Native.Directory | Native.NoFollow | Native.CloseOnExec, 0);
        return fd < 0 ? null : new SafeFileHandle(fd, ownsHandle: true);
    }

    private static void Empty(SafeFileHandle folder, string shown, int depth, CancellationToken cancel)
    {
        int removed;
        do
        {
            removed = 0;
            FolderStream.Each(folder, shown, (name, type) =>
            {
                cancel.ThrowIfCancellationRequested();
                if (type == FolderStream.OfFolder || !TryUnlink(folder, name, 0, shown))
                {
                    using var inner = Enter(folder, name, depth) ?? throw Folder.Failure("remove", ShownOf(shown, name));
                    Empty(inner, ShownOf(shown, name), depth + 1, cancel);
                    if (!TryUnlink(folder, name, Native.AtRemoveDir, shown))
                        throw Folder.Failure("remove the folder", ShownOf(shown, name));
                }

                removed++;
            });
            Native.Rewind(folder); // Some file systems pass names over while others are removed.
        }
        while (removed > 0);
    }

    private static bool TryUnlink(SafeFileHandle folder, ReadOnlySpan<byte> name, int flags, string shown)
    {
        var watch = DiskWatch.Current.Value;
        var change = watch is null ? null
            : new DiskChange(flags == 0 ? DiskChangeKind.RemoveFile : DiskChangeKind.RemoveFolder, ShownOf(shown, name));
        watch?.Before(change!);
        if (Native.Unlink(folder, name, flags) != 0)
            return false;
        watch?.After(change!);
        return true;
    }

    private static string ShownOf(string shown, ReadOnlySpan<byte> name) => Path.Join(shown, PathBytes.Decode(name[..^1]));

    private sealed class Sum
    {
        public long Bytes, Files, LastUsedNs;
        public int Unreadable;

        public void Add(SafeFileHandle folder, string shown, int depth, CancellationToken cancel) =>
            FolderStream.Each(folder, shown, (name, _) =>
        {
            cancel.ThrowIfCancellationRequested();
            if (Native.StatxAt(folder, name, Native.AtSymlinkNoFollow, Native.StatxBasic, out var found) != 0)
                return; // Gone since it was listed.
            var node = Node.From(found);
            if (node.Kind != NodeKind.Folder)
            {
                Bytes += node.Size;
                Files++;
                LastUsedNs = Math.Max(LastUsedNs, Math.Max(node.ModifiedNs, Node.AccessedNs(found)));
                return;
            }

            using var inner = Enter(folder, name, depth);
            if (inner is null)
                Unreadable++;
            else
                Add(inner, shown, depth + 1, cancel);
        });
    }
}
