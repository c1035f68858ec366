using System.IO.Enumeration;

namespace Mukta.Products;

/// <summary>What the variables of a profile's paths stand for (XDG Base Directory specification).</summary>
public sealed record UserFolders(string Home, string Data, string Config, string Cache, string State)
{
    /// <summary>The folders of the user who runs this, from the environment. A variable that is no absolute path is ignored, as XDG asks.</summary>
    public static UserFolders Of(Func<string, string?> environment)
    {
        var home = environment("HOME") is { } set && Path.IsPathRooted(set) ? set : "/";
        string Xdg(string variable, params string[] usual) =>
            environment(variable) is { } value && Path.IsPathRooted(value) ? value : Path.Join([home, .. usual]);
        return new UserFolders(
            home, Xdg("XDG_DATA_HOME", ".local", "share"), Xdg("XDG_CONFIG_HOME", ".config"), Xdg("XDG_CACHE_HOME", ".cache"), Xdg("XDG_STATE_HOME", ".local", "state"));
    }

    /// <summary>The folders that a pattern stands for and that are there, in the order of their names.</summary>
    /// <param name="pattern">The pattern.</param>
    /// <param name="install">What <c>${install}</c> stands for; null where there is none.</param>
    public IEnumerable<string> FoldersAt(PathPattern pattern, string? install = null)
    {
        var root = pattern.Variable switch
        {
            "home" => Home,
            "data" => Data,
            "config" => Config,
            "cache" => Cache,
            "state" => State,
            "install" => install,
            _ => "/",
        };
        IEnumerable<string> found = root is null ? [] : [root];
        foreach (var segment in pattern.Segments)
            found = found.SelectMany(folder => Below(folder, segment));
        return found.Where(Directory.Exists);
    }

    /// <summary>The folders in a folder whose names fit a segment of a pattern.</summary>
    internal static IEnumerable<string> Below(string folder, string segment)
    {
        if (segment.IndexOfAny(['*', '?']) < 0)
            return [Path.Join(folder, segment)];
        try
        {
            return Directory.EnumerateDirectories(folder)
                .Where(f => FileSystemName.MatchesSimpleExpression(segment, Path.GetFileName(f), ignoreCase: false)).Order(StringComparer.Ordinal).ToList();
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return []; // What cannot be entered holds no install that could be worked on.
        }
    }
}
