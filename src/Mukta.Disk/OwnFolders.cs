
namespace Mukta.Disk;

/// <summary>Makes folders in an install the way the ones around them are: same owner, group and mode.</summary>
public static class OwnFolders
{
    /// <summary>The name of Mukta's own folder, in an install or beside what it keeps. No manifest may name it.</summary>
    public const string Name = ".mukta";

    /// <summary>Makes sure that a folder is there, with all on its way.</summary>
    /// <exception cref="DiskException">Something else stands there, or the folder may not be made.</exception>
    public static void Ensure(Folder install, string path)
    {
        if (path.Length == 0 || install.Look(path) is { Kind: NodeKind.Folder })
            return;
        var parent = path.LastIndexOf('/') is var slash && slash < 0 ? "" : path[..slash];
        Ensure(install, parent);
        var like = install.Look(parent.Length == 0 ? "." : parent) ?? throw new DiskException(DiskException.NoEntry, "look at", Path.Join(install.Path, parent));
        try
        {
            install.MakeFolder(path, like.Mode & 0x1FF);
        }
        catch (DiskException e) when (e.Errno == DiskException.Exists && install.Look(path) is { Kind: NodeKind.Folder })
        {
            return; // Somebody was faster.
        }

        install.SetOwner(path, like.User, like.Group);
        install.SetMode(path, like.Mode);
    }

    /// <summary>The folder that a path lies in; "" for the install itself.</summary>
    public static string Of(string path) => path.LastIndexOf('/') is var slash && slash < 0 ? "" : path[..slash];
}
