using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Mukta's own folder below a user's folder for state. What is in it is read and written with that user's rights, also by root: the user
/// may have put a link there. What root makes in it for the user is then the user's, whose own runs can go on with it.
/// </summary>
public static class StatePlace
{
    private const int FileMode = 0b110_100_100;

    /// <summary>Makes sure that it is there, and answers its path.</summary>
    /// <param name="stateFolder">The user's folder for state (XDG Base Directory specification).</param>
    /// <param name="inside">A folder inside of it; "" for itself.</param>
    /// <exception cref="MuktaException">It cannot be made, or it is a link.</exception>
    public static string Ensure(string stateFolder, string inside = "")
    {
        using var rights = Rights(stateFolder);
        var anchor = stateFolder;
        while (!Directory.Exists(anchor))
            anchor = Path.GetDirectoryName(anchor)!;
        using var folder = Folder.Open(anchor);
        folder.EnsureFolder(Path.Join(Path.GetRelativePath(anchor, stateFolder), "mukta", inside).TrimEnd('/'), isLasting: true);
        return PathIn(stateFolder, inside);
    }

    /// <summary>A path in it.</summary>
    public static string PathIn(string stateFolder, string inside) => Path.Join(stateFolder, "mukta", inside).TrimEnd('/');

    /// <summary>Takes the rights with which it is read and written.</summary>
    public static FileSystemIdentity Rights(string stateFolder)
    {
        var (user, group) = OwnerOf(stateFolder);
        return FileSystemIdentity.Of(user, group);
    }

    /// <summary>The first user, from the root on, who could have changed the path to it; root if there is none, or for anybody but root.</summary>
    public static (uint User, uint Group) OwnerOf(string stateFolder)
    {
        if (CurrentUser.Number != 0)
            return (0, 0);
        using var root = Folder.Open("/");
        foreach (var path in new[] { Path.GetFullPath(stateFolder), Folder.RealPathOf(stateFolder) })
        {
            var segments = PathIn(path, "")[1..].Split('/');
            for (var i = 1; i <= segments.Length; i++)
            {
                if (root.Look(string.Join('/', segments[..i])) is { User: not 0 } node)
                    return (node.User, node.Group);
            }
        }

        return (0, 0);
    }

    /// <summary>Makes sure that a file in it is a regular file of its own, and no link to another. It is made if it is not there.</summary>
    /// <exception cref="MuktaException">It is something else, or cannot be made.</exception>
    public static void EnsureFile(string stateFolder, string inside)
    {
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(Ensure(stateFolder, Folder.ParentOf(inside)));
        folder.OpenOrCreateFile(Path.GetFileName(inside), FileMode).Dispose();
    }

    /// <summary>True if a file in it is there and is a regular file.</summary>
    public static bool HasFile(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return false;
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(stateFolder);
        return folder.Look($"mukta/{inside}") is { Kind: NodeKind.File };
    }

    /// <summary>Writes a whole file in it: the old one or the new one is there, also after a loss of power.</summary>
    /// <exception cref="MuktaException">It cannot be written.</exception>
    public static void WriteFile(string stateFolder, string inside, ReadOnlySpan<byte> bytes)
    {
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(Ensure(stateFolder, Folder.ParentOf(inside)));
        var (name, made) = (Path.GetFileName(inside), $".{Path.GetFileName(inside)}.new");
        if (folder.Look(made) is not null)
            folder.RemoveFile(made); // From an interrupted run.
        using (var file = folder.CreateFile(made, FileMode))
        {
            file.Write(bytes, 0);
            file.Flush();
        }

        folder.Move(made, name, replace: true);
        folder.Flush("");
    }

    /// <summary>Removes a file in it; nothing happens if there is none.</summary>
    public static void RemoveFile(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return;
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(stateFolder);
        if (folder.Look($"mukta/{inside}") is not null)
            folder.RemoveFile($"mukta/{inside}");
    }

    /// <summary>The names of the files in a folder in it.</summary>
    public static IReadOnlyList<string> Names(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return [];
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(stateFolder);
        return folder.Look($"mukta/{inside}") is { Kind: NodeKind.Folder } ? TreeWalk.NamesIn(folder, $"mukta/{inside}") : [];
    }

    /// <summary>Reads a whole file in it.</summary>
    /// <exception cref="DiskException">It is no regular file, is too long, or cannot be read.</exception>
    public static byte[] ReadFile(string stateFolder, string inside, long most)
    {
        using var rights = Rights(stateFolder);
        using var folder = Folder.Open(stateFolder);
        return folder.ReadAll($"mukta/{inside}", most);
    }
}
