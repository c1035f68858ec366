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
    /// <exception cref="MuktaException">It cannot be made, it is a link, or the folder for state is not the user's.</exception>
    public static string Ensure(string stateFolder, string inside = "")
    {
        var anchor = stateFolder;
        while (!Directory.Exists(anchor))
            anchor = Path.GetDirectoryName(anchor)!;
        using var opened = new Opened(stateFolder, anchor);
        opened.Folder.EnsureFolder(Path.Join(Path.GetRelativePath(anchor, stateFolder), "mukta", inside).TrimEnd('/'), isLasting: true);
        return PathIn(stateFolder, inside);
    }

    /// <summary>A path in it.</summary>
    public static string PathIn(string stateFolder, string inside) => Path.Join(stateFolder, "mukta", inside).TrimEnd('/');

    /// <summary>
    /// The first user, from the root on, who could have changed the path to it; root if there is none, or for anybody but root.
    /// </summary>
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
    public static void EnsureFile(string stateFolder, string inside) => Open(stateFolder, inside).Dispose();

    /// <summary>Opens a file in it for reading and writing, and makes it if it is not there.</summary>
    /// <exception cref="MuktaException">It is not a regular file of its own, or cannot be made.</exception>
    public static WritableFile Open(string stateFolder, string inside)
    {
        Ensure(stateFolder, Folder.ParentOf(inside));
        using var opened = new Opened(stateFolder, stateFolder);
        return opened.Folder.OpenOrCreateFile(Inside(inside), FileMode);
    }

    /// <summary>True if a file in it is there and is a regular file.</summary>
    public static bool HasFile(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return false;
        using var folder = Folder.Open(stateFolder);
        return folder.Look(Inside(inside)) is { Kind: NodeKind.File };
    }

    /// <summary>Writes a whole file in it: the old one or the new one is there, also after a loss of power.</summary>
    /// <exception cref="MuktaException">It cannot be written.</exception>
    public static void WriteFile(string stateFolder, string inside, ReadOnlySpan<byte> bytes)
    {
        Ensure(stateFolder, Folder.ParentOf(inside));
        using var opened = new Opened(stateFolder, stateFolder);
        var (folder, name, made) = (opened.Folder, Inside(inside), Inside(inside) + ".new");
        if (folder.Look(made) is not null)
            folder.RemoveFile(made); // From an interrupted run.
        using (var file = folder.CreateFile(made, FileMode))
        {
            file.Write(bytes, 0);
            file.Flush();
        }

        folder.Move(made, name, replace: true);
        folder.Flush(Folder.ParentOf(name));
    }

    /// <summary>Removes a file in it; nothing happens if there is none.</summary>
    public static void RemoveFile(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return;
        using var opened = new Opened(stateFolder, stateFolder);
        if (opened.Folder.Look(Inside(inside)) is not null)
            opened.Folder.RemoveFile(Inside(inside));
    }

    /// <summary>The names of the files in a folder in it.</summary>
    public static IReadOnlyList<string> Names(string stateFolder, string inside)
    {
        if (!Directory.Exists(stateFolder))
            return [];
        using var folder = Folder.Open(stateFolder);
        return folder.Look(Inside(inside)) is { Kind: NodeKind.Folder } ? TreeWalk.NamesIn(folder, Inside(inside)) : [];
    }

    /// <summary>Reads a whole file in it.</summary>
    /// <exception cref="DiskException">It is not a regular file, is too long, or cannot be read.</exception>
    public static byte[] ReadFile(string stateFolder, string inside, long most)
    {
        using var folder = Folder.Open(stateFolder);
        return folder.ReadAll(Inside(inside), most);
    }

    private static string Inside(string path) => $"mukta/{path}";

    /// <summary>A folder of the user's, opened, and then the user's rights for whatever is done in it.</summary>
    private sealed class Opened : IDisposable
    {
        private readonly FileSystemIdentity? rights;

        public Opened(string stateFolder, string anchor)
        {
            var (user, group) = OwnerOf(stateFolder);
            Folder = Folder.Open(anchor);
            try
            {
                var isTheirs = Folder.Look(".")?.User == user;
                if (user != 0 && !isTheirs && Folder.RealPath != Path.GetFullPath(anchor))
                {
                    throw new MuktaException(
                        ExitCode.Blocked, "The folder for state leads to somebody else's.", PathBytes.Shown(Folder.RealPath),
                        "Look for a link on its way with: namei -l " + PathBytes.Shown(stateFolder));
                }

                // One of root's, with no link on its way, is root's to change.
                rights = isTheirs ? FileSystemIdentity.Of(user, group) : null;
            }
            catch
            {
                Folder.Dispose();
                throw;
            }
        }

        public Folder Folder { get; }

        public void Dispose()
        {
            rights?.Dispose();
            Folder.Dispose();
        }
    }
}
