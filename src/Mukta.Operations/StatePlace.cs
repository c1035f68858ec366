using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Mukta's own folder below a user's folder for state. What root makes in it for another user is given to that user, so that
/// the user's own runs can go on with it.
/// </summary>
public static class StatePlace
{
    /// <summary>Makes sure that it is there, and answers its path.</summary>
    /// <param name="stateFolder">The user's folder for state (XDG Base Directory specification).</param>
    /// <param name="inside">A folder inside of it; "" for itself.</param>
    /// <exception cref="MuktaException">It cannot be made.</exception>
    public static string Ensure(string stateFolder, string inside = "")
    {
        var path = Path.Join(stateFolder, "mukta", inside).TrimEnd('/');
        if (Directory.Exists(path))
            return path;
        var anchor = path;
        while (!Directory.Exists(anchor))
            anchor = Path.GetDirectoryName(anchor)!;
        using var folder = Folder.Open(anchor);
        folder.EnsureFolder(Path.GetRelativePath(anchor, path), isLasting: true);
        return path;
    }

    /// <summary>Gives the files in a folder to whoever the folder belongs to, where root has made them.</summary>
    public static void ChangeOwner(string path)
    {
        if (!Environment.IsPrivilegedProcess || !Directory.Exists(path))
            return;
        using var folder = Folder.Open(path);
        if (folder.Look(".") is not { User: not 0 } like)
            return;
        foreach (var name in TreeWalk.NamesIn(folder, "").Where(n => folder.Look(n) is { Kind: NodeKind.File, User: 0 }))
            folder.SetOwner(name, like.User, like.Group);
    }
}
