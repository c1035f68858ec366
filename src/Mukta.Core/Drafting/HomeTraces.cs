using System.Text.RegularExpressions;
using Mukta.Disk;

namespace Mukta.Drafting;

/// <summary>Something of a product in the user's folders.</summary>
/// <param name="Path">Its path; a star may stand for a number at its end.</param>
/// <param name="Why">What was seen.</param>
internal sealed record Trace(string Path, string Why);

/// <summary>A cache of a product.</summary>
/// <param name="Name">What to call it.</param>
/// <param name="Pattern">Its path; a star may stand for a number at its end.</param>
/// <param name="Why">What was seen.</param>
/// <param name="SignsIn">True if its name says that it holds who is signed in.</param>
internal sealed record CacheTrace(string Name, string Pattern, string Why, bool SignsIn);

/// <summary>
/// What lies in the user's folders under a product's name: caches, temporary files, settings and user data. A folder counts whose name is
/// the product's but for capitals and punctuation, at the top of a user's folder or one below.
/// </summary>
internal sealed partial class HomeTraces
{
    private const int LeastStem = 3;
    private const int MostEntries = 1000;
    private readonly DraftPlaces places;
    private readonly HashSet<string> names;

    /// <param name="places">For the patterns of paths.</param>
    /// <param name="names">What the product's folders may be called.</param>
    /// <param name="used">Folders that its processes were seen to use, whatever they are called.</param>
    public HomeTraces(DraftPlaces places, IEnumerable<string> names, IReadOnlyList<string> used)
    {
        (this.places, this.names) = (places, [.. names.Select(Bare).Where(n => n.Length >= LeastStem)]);
        var folders = places.Machine.Folders;
        foreach (var folder in Of(folders.Cache, used))
            ReadCache(folder);
        foreach (var folder in Of(folders.Config, used).Concat(Of(folders.State, used)))
            Settings.Add(new Trace(folder, Why(folder)));
        foreach (var folder in Of(folders.Data, used))
            ReadData(folder);
    }

    public List<CacheTrace> Caches { get; } = [];

    public List<Trace> Temporary { get; } = [];

    /// <summary>Folders of settings and local data.</summary>
    public List<Trace> Settings { get; } = [];

    public List<Trace> UserData { get; } = [];

    /// <summary>The cache folders themselves.</summary>
    public List<Trace> CacheFolders { get; } = [];

    private List<string> Of(string folder, IReadOnlyList<string> used)
    {
        var own = FoldersIn(folder).SelectMany(f => names.Contains(Bare(Path.GetFileName(f))) ? [f] : FoldersIn(f)
            .Where(inner => names.Contains(Bare(Path.GetFileName(inner)))));
        var watched = used.Select(u => places.OwnFolderOf(u)).OfType<string>().Where(u => Folder.ParentOf(u) == folder);
        return [.. own.Concat(watched).Distinct(StringComparer.Ordinal).Order(StringComparer.Ordinal)];
    }

    private void ReadCache(string folder)
    {
        CacheFolders.Add(new Trace(folder, Why(folder)));
        var entries = Entries(folder);
        foreach (var group in entries.GroupBy(e => StemOf(Path.GetFileName(e))))
        {
            var pattern = Path.Join(folder, group.Key);
            var why = $"{string.Join(", ", group.Select(Path.GetFileName).Take(3))} in {places.Pattern(folder)}";
            if (IsTemporary(group.Key))
                Temporary.Add(new Trace(pattern, $"by its name: {why}"));
            else
                Caches.Add(new CacheTrace(NameOf(group.Key), pattern, why, SignsIn().IsMatch(group.Key)));
        }

        if (entries.Count == 0)
            Caches.Add(new CacheTrace(NameOf(Path.GetFileName(folder)), folder, "an empty folder", false));
    }

    private void ReadData(string folder)
    {
        foreach (var entry in Entries(folder))
        {
            var name = Path.GetFileName(entry);
            if (IsTemporary(name))
                Temporary.Add(new Trace(entry, $"by its name, in {places.Pattern(folder)}"));
            else if (name.Contains("cache", StringComparison.OrdinalIgnoreCase))
                Caches.Add(new CacheTrace(NameOf(name), entry, $"by its name, in {places.Pattern(folder)}", false));
            else
                UserData.Add(new Trace(entry, $"in {places.Pattern(folder)}"));
        }
    }

    private static string Why(string folder) => $"there, with {Units.Count(Entries(folder).Count, "entry", "entries")}";

    private string NameOf(string stem)
    {
        var name = new string([.. stem.Trim('*', '-', '.', '_').Select(c => char.IsLetterOrDigit(c) || c is '-' or '_' or '.' ? c : '-')])
            .Trim('-', '.', '_');
        name = name.Length == 0 ? "files" : name;
        var free = name;
        for (var i = 2; Caches.Any(c => c.Name == free); i++)
            free = $"{name}-{i}";
        return free;
    }

    /// <summary>A name without the number or version at its end, which the next release changes.</summary>
    internal static string StemOf(string name) =>
        Numbered().Match(name) is { Success: true } match && match.Groups["stem"].Value.Count(c => c != '.') >= LeastStem
            ? match.Groups["stem"].Value + "*" : name;

    /// <summary>Letters and digits alone, in small letters.</summary>
    internal static string Bare(string name) => new([.. name.Where(char.IsLetterOrDigit).Select(char.ToLowerInvariant)]);

    internal static bool IsTemporary(string name) => Unfinished().IsMatch(name);

    private static List<string> FoldersIn(string folder) => [.. Entries(folder).Where(e => Directory.Exists(e) && !IsLink(e))];

    private static bool IsLink(string path) => new FileInfo(path).LinkTarget is not null;

    private static List<string> Entries(string folder)
    {
        try
        {
            var entries = Directory.EnumerateFileSystemEntries(folder).Take(MostEntries);
            return [.. entries.Where(DraftPlaces.IsLiteral).Order(StringComparer.Ordinal)];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }

    [GeneratedRegex(@"^(?<stem>.*?[-_. ]?)v?\d[\d._-]*$", RegexOptions.CultureInvariant)]
    private static partial Regex Numbered();

    [GeneratedRegex(@"^(partial|download|temp|tmp|incoming|unfinished)|\.(part|partial|tmp|temp|download)\*?$",
        RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex Unfinished();

    [GeneratedRegex("session|sign-?in|log-?in|token|auth|cookie|account", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex SignsIn();
}
