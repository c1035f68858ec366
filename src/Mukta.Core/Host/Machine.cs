using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Host;

/// <summary>The machine that is checked: this one, or one whose disk is mounted below a folder.</summary>
/// <param name="Root">What <c>/</c> stands for.</param>
/// <param name="Folders">The folders of the user whose products are checked.</param>
public sealed record Machine(string Root, UserFolders Folders)
{
    /// <summary>True for the machine that this runs on: only that one has processes, services that are up, and a network.</summary>
    public bool IsLive => Root == "/";

    /// <summary>This machine, with the folders of the user who runs this.</summary>
    public static Machine Here(Func<string, string?> environment) => new("/", UserFolders.Of(environment));

    /// <summary>
    /// A machine whose disk is mounted. Its user is the one with the home that <c>HOME</c> names, or else the only one there is.
    /// </summary>
    /// <param name="root">Where the disk is mounted.</param>
    /// <param name="environment">The environment variables.</param>
    /// <exception cref="MuktaException">There is no such folder, or whose home is meant is not clear.</exception>
    public static Machine MountedAt(string root, Func<string, string?> environment)
    {
        using var folder = Disk.Folder.Open(root);
        var real = folder.RealPath;
        if (real == "/")
            return Here(environment);
        if (environment("HOME") is { } home && Path.IsPathRooted(home) && Disk.Folder.ResolvedIn(real, Path.Join(real, home)) is not null)
            return new Machine(real, UserFolders.Below(real, home));
        var homes = UserFolders.In(Path.Join(real, "home")).ToList();
        return homes is [var only]
            ? new Machine(real, UserFolders.Below(real, "/" + Path.GetRelativePath(real, only)))
            : throw new MuktaException(
                ExitCode.BadInput, homes.Count == 0 ? "The mounted disk has no user's home."
                : "The mounted disk has several users, and which one is meant is not clear.",
                homes.Count == 0 ? Path.Join(real, "home") : string.Join("\n", homes),
                "Put the home's path, as that machine names it, before the command: HOME=/home/NAME mukta ...");
    }

    /// <summary>The same as operations see it.</summary>
    public OperationHome Home => new(Root, Folders.State);

    /// <summary>A path of the machine as seen from here.</summary>
    public string At(string path) => IsLive ? path : Path.Join(Root, path);

    /// <summary>A path seen from here as the machine itself names it.</summary>
    public string NameOf(string path) => IsLive || !path.StartsWith(Root + "/", StringComparison.Ordinal) ? path : path[Root.Length..];
}
