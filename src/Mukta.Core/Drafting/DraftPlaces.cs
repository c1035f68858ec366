using Mukta.Disk;
using Mukta.Host;
using Mukta.Products;

namespace Mukta.Drafting;

/// <summary>Paths of this machine as a profile names them.</summary>
/// <param name="machine">The machine.</param>
/// <param name="install">The install, by its real path.</param>
internal sealed class DraftPlaces(Machine machine, string install)
{
    public Machine Machine => machine;

    /// <summary>The path relative to a folder, with the links on its way followed; null outside of it.</summary>
    public static string? Inside(string path, string folder)
    {
        var real = Path.Join(Folder.RealPathOf(Path.GetDirectoryName(path) ?? "/"), Path.GetFileName(path));
        return real.StartsWith(folder + "/", StringComparison.Ordinal) ? real[(folder.Length + 1)..] : null;
    }

    /// <summary>
    /// False for a path that a profile would read as another one or as several: with a wildcard, a character that cannot be shown, or bytes
    /// that are not text.
    /// </summary>
    public static bool IsLiteral(string path) => path.IndexOfAny(['*', '?', '\uFFFD']) < 0 && PathBytes.Shown(path) == path;

    /// <summary>The install as a profile writes it; null if no profile may name it.</summary>
    public string? PlaceOfInstall() => IsLiteral(install) ? AllowedPattern(BelowVariable(install)) : null;

    /// <summary>The path as a profile writes it: below a variable where one fits.</summary>
    public string Pattern(string path)
    {
        if (path == install)
            return "${install}";
        return path.StartsWith(install + "/", StringComparison.Ordinal) ? "${install}" + path[install.Length..] : BelowVariable(path);
    }

    private string BelowVariable(string path)
    {
        var folders = machine.Folders;
        var (variable, folder) = new[]
        {
            ("cache", folders.Cache), ("config", folders.Config), ("state", folders.State), ("data", folders.Data), ("home", folders.Home),
        }.FirstOrDefault(v => v.Item2 != "/" && (path == v.Item2 || path.StartsWith(v.Item2 + "/", StringComparison.Ordinal)));
        return variable is null ? machine.NameOf(path) : $"${{{variable}}}{path[folder.Length..]}";
    }

    /// <summary>The path as a profile writes it, if a profile may name it for something that is changed; null if not.</summary>
    public string? Allowed(string path) => AllowedPattern(Pattern(path));

    private static string? AllowedPattern(string text) =>
        PathPattern.Parse(text, out _) is { } pattern && ProductPlaces.FaultOf(pattern) is null ? pattern.Text : null;

    /// <summary>The paths that a profile may name, as it writes them, with how they are known.</summary>
    public DraftList List(IEnumerable<Trace> traces, DraftTrust trust) => new(
        [.. traces.Select(t => (Pattern: Allowed(t.Path), t.Why)).Where(t => t.Pattern is not null).DistinctBy(t => t.Pattern)
            .Select(t => DraftText.Of(t.Pattern!, trust, t.Why))]);

    /// <summary>The highest folder on the way to a path in the user's folders that may be a product's own; null for none.</summary>
    public string? OwnFolderOf(string path)
    {
        if (!path.StartsWith(machine.Folders.Home + "/", StringComparison.Ordinal))
            return null;
        for (var end = machine.Folders.Home.Length + 1; (end = path.IndexOf('/', end)) > 0; end++)
        {
            if (IsLiteral(path[..end]) && Allowed(path[..end]) is not null)
                return path[..end];
        }

        return null;
    }
}
