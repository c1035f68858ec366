using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>One name found below a folder.</summary>
/// <param name="Path">Relative to the folder, with '/' between segments.</param>
/// <param name="Node">What is there; null if it could not be examined.</param>
/// <param name="Failure">Why it could not be examined, or why the folder could not be listed.</param>
public sealed record TreeEntry(string Path, Node? Node, DiskException? Failure = null);

/// <summary>Lists everything below a folder, in the order the disk gives it, following no link.</summary>
public static class TreeWalk
{
    /// <summary>Folders deeper than this are reported as a failure and not entered.</summary>
    public const int DeepestFolder = 256;

    /// <summary>Walks the tree.</summary>
    /// <param name="folder">Where to start.</param>
    /// <param name="skip">Paths that are skipped with all they hold.</param>
    /// <param name="cancel">Ends the walk.</param>
    public static IEnumerable<TreeEntry> Entries(Folder folder, Func<string, bool>? skip = null, CancellationToken cancel = default)
    {
        using var top = folder.OpenFolder("");
        foreach (var entry in new Walk(folder, skip, cancel).Below(top, Names(top, folder.Path), "", 1))
            yield return entry;
    }

    /// <summary>The names in one folder.</summary>
    /// <exception cref="DiskException">It cannot be listed.</exception>
    public static IReadOnlyList<string> NamesIn(Folder folder, string path)
    {
        using var handle = folder.OpenFolder(path);
        return Names(handle, Shown(folder, path));
    }

    /// <summary>One walk.</summary>
    private sealed class Walk(Folder folder, Func<string, bool>? skip, CancellationToken cancel)
    {
        public IEnumerable<TreeEntry> Below(SafeFileHandle handle, List<string> names, string prefix, int depth)
        {
            foreach (var name in names)
            {
                cancel.ThrowIfCancellationRequested();
                var path = prefix + name;
                if (skip?.Invoke(path) == true)
                    continue;
                var bytes = PathBytes.Encode(name);
                if (Native.StatxAt(handle, bytes, Native.AtSymlinkNoFollow, Native.StatxBasic, out var found) != 0)
                {
                    var failure = Folder.Failure("look at", Shown(folder, path));
                    if (!failure.IsAbsent) // Gone since it was listed: as if it had never been.
                        yield return new TreeEntry(path, null, failure);
                    continue;
                }

                var node = Node.From(found);
                if (node.Kind != NodeKind.Folder)
                {
                    yield return new TreeEntry(path, node);
                    continue;
                }

                using var inner = Enter(handle, bytes, path, depth, out var innerNames, out var blocked);
                yield return new TreeEntry(path, node, blocked);
                if (inner is null)
                    continue;
                foreach (var entry in Below(inner, innerNames, path + "/", depth + 1))
                    yield return entry;
            }
        }

        private SafeFileHandle? Enter(
            SafeFileHandle parent, byte[] name, string path, int depth, out List<string> names, out DiskException? failure)
        {
            (names, failure) = ([], null);
            if (depth > DeepestFolder)
            {
                failure = Folder.Failure("enter a folder this deep", Shown(folder, path), DiskException.NameTooLong);
                return null;
            }

            var fd = Native.OpenAt(parent, name, Native.ReadOnly | Native.Directory | Native.NoFollow | Native.CloseOnExec, 0);
            if (fd < 0)
            {
                failure = Folder.Failure("list", Shown(folder, path));
                return null;
            }

            var handle = new SafeFileHandle(fd, ownsHandle: true);
            try
            {
                names = Names(handle, Shown(folder, path));
                return handle;
            }
            catch (DiskException e)
            {
                handle.Dispose();
                failure = e;
                return null;
            }
        }
    }

    private static string Shown(Folder folder, string path) => Path.Join(folder.Path, path);

    private static List<string> Names(SafeFileHandle folder, string shown)
    {
        var names = new List<string>();
        FolderStream.Each(folder, shown, (name, _) => names.Add(PathBytes.Decode(name[..^1])));
        return names;
    }
}
