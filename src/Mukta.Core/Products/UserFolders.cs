using System.IO.Enumeration;

namespace Mukta.Products;

/// <summary>What the variables of a profile's paths stand for (XDG Base Directory specification).</summary>
public sealed record UserFolders(string Home, string Data, string Config, string Cache, string State)
{
    /// <summary>What <c>/</c> stands for: another folder where another machine's disk is mounted there.</summary>
    public string Root { get; init; } = "/";

    /// <summary>
    /// The folders of a user on a disk that is mounted below a folder; what the environment says of this machine's does not count.
    /// </summary>
    /// <param name="root">Where the disk is mounted.</param>
    /// <param name="home">The home, as that machine names it.</param>
    public static UserFolders Below(string root, string home)
    {
        var at = Path.Join(root, home);
        return new UserFolders(
            at, Path.Join(at, ".local/share"), Path.Join(at, ".config"), Path.Join(at, ".cache"), Path.Join(at, ".local/state"))
        {
            Root = root,
        };
    }

    /// <summary>
    /// The folders of the user who runs this, from the environment. A variable that is not an absolute path is ignored, as XDG asks.
    /// </summary>
    public static UserFolders Of(Func<string, string?> environment)
    {
        var home = environment("HOME") is { } set && Path.IsPathRooted(set) ? set : "/";
        string Xdg(string variable, params string[] usual) =>
            environment(variable) is { } value && Path.IsPathRooted(value) ? value : Path.Join([home, .. usual]);
        return new UserFolders(
            home, Xdg("XDG_DATA_HOME", ".local", "share"), Xdg("XDG_CONFIG_HOME", ".config"), Xdg("XDG_CACHE_HOME", ".cache"),
            Xdg("XDG_STATE_HOME", ".local", "state"));
    }

    /// <summary>The folders that a pattern stands for and that are there, in the order of their names.</summary>
    /// <param name="pattern">The pattern.</param>
    /// <param name="install">What <c>${install}</c> stands for; null if there is none.</param>
    public IEnumerable<string> FoldersAt(PathPattern pattern, string? install = null) => At(pattern, install).Where(Directory.Exists);

    /// <summary>The files, folders and links that a pattern stands for and that are there, in the order of their names.</summary>
    public IEnumerable<string> At(PathPattern pattern, string? install = null)
    {
        IEnumerable<string> found = RootOf(pattern, install) is { } root ? [root] : [];
        foreach (var segment in pattern.Segments)
            found = found.Select(Entered).OfType<string>().SelectMany(folder => Inside(folder, segment));
        return found.Where(IsThere);
    }

    private static bool IsThere(string path)
    {
        if (Path.GetDirectoryName(path) is not { } parent)
            return true;
        try
        {
            using var folder = Disk.Folder.Open(parent);
            return folder.Look(Path.GetFileName(path)) is not null;
        }
        catch (MuktaException)
        {
            return false;
        }
    }

    /// <summary>
    /// The one path that a pattern without wildcards stands for, there or not; null if it has some or <c>${install}</c> stands for
    /// nothing.
    /// </summary>
    public string? PathOf(PathPattern pattern, string? install = null) =>
        RootOf(pattern, install) is { } root && pattern.Segments.All(s => s.IndexOfAny(Wildcards) < 0)
        ? Path.Join([root, .. pattern.Segments]) : null;

    /// <summary>The folder that a variable of <see cref="PathPattern"/> stands for.</summary>
    /// <param name="variable">Its name.</param>
    /// <param name="install">The install.</param>
    public string FolderOf(string variable, string install) => RootOf(variable, install) ?? install;

    private static readonly char[] Wildcards = ['*', '?'];

    private string? RootOf(PathPattern pattern, string? install) => RootOf(pattern.Variable, install);

    private string? RootOf(string? variable, string? install) => variable switch
    {
        "home" => Home,
        "data" => Data,
        "config" => Config,
        "cache" => Cache,
        "state" => State,
        "install" => install,
        _ => Root,
    };

    /// <summary>A folder on the way. On a mounted disk its links are followed as that machine would; null if there is none.</summary>
    private string? Entered(string folder) => Root == "/" ? folder : Disk.Folder.ResolvedIn(Root, folder);

    /// <summary>What in a folder fits a segment of a pattern.</summary>
    private static List<string> Inside(string folder, string segment)
    {
        if (segment.IndexOfAny(Wildcards) < 0)
            return [Path.Join(folder, segment)];
        try
        {
            using var opened = Disk.Folder.Open(folder);
            return [.. Disk.TreeWalk.NamesIn(opened, "")
                .Where(n => FileSystemName.MatchesSimpleExpression(segment, n, ignoreCase: false))
                .Order(StringComparer.Ordinal).Select(n => Path.Join(folder, n))];
        }
        catch (MuktaException)
        {
            return []; // What cannot be entered holds nothing that could be worked on.
        }
    }

    /// <summary>The folders in a folder, in the order of their names.</summary>
    internal static IEnumerable<string> In(string folder) => Inside(folder, "*").Where(Directory.Exists);
}
