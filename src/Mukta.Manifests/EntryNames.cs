using Mukta.Disk;

namespace Mukta.Manifests;

/// <summary>The names that a manifest lists: each a good one, none twice, and none in the way of another.</summary>
/// <param name="fault">A fault, with the line and column that it is in.</param>
internal sealed class EntryNames(Func<string, (int Line, int Column), ManifestFault> fault)
{
    private readonly List<(string Path, int Line, int Column)> places = [];

    public int Count => places.Count;

    /// <summary>Takes a name.</summary>
    /// <exception cref="ManifestFault">It is not a good one, or there are too many.</exception>
    public void Claim(string path, (int Line, int Column) place)
    {
        if (ManifestPath.Fault(path) is { } bad)
            throw fault($"The name \"{PathBytes.Shown(path)}\" {bad}.", place);
        places.Add((path, place.Line, place.Column));
        if (places.Count > MetalinkNames.MostEntries)
            throw fault($"The manifest lists more than {MetalinkNames.MostEntries} files.", place);
    }

    public void AddRange(EntryNames more) => places.AddRange(more.places);

    /// <summary>No name may appear twice, and none may be a folder for another one.</summary>
    public void RefuseClashes()
    {
        var isSorted = true;
        for (var i = 1; i < places.Count && isSorted; i++)
            isSorted = string.CompareOrdinal(places[i - 1].Path, places[i].Path) < 0;
        if (!isSorted)
        {
            places.Sort(
                (a, b) => string.CompareOrdinal(a.Path, b.Path) is var order and not 0 ? order
                : (a.Line, a.Column).CompareTo((b.Line, b.Column)));
        }

        for (var i = 1; i < places.Count && !isSorted; i++)
        {
            if (places[i].Path == places[i - 1].Path)
            {
                throw fault(
                    $"The name \"{places[i].Path}\" appears twice; first in line {places[i - 1].Line}.",
                    (places[i].Line, places[i].Column));
            }
        }

        var folders = new HashSet<string>(StringComparer.Ordinal);
        var known = folders.GetAlternateLookup<ReadOnlySpan<char>>();
        var last = "";
        foreach (var (path, _, _) in places)
        {
            var folder = path.AsSpan(0, Math.Max(path.LastIndexOf('/'), 0));
            if (folder.SequenceEqual(last.AsSpan(0, Math.Max(last.LastIndexOf('/'), 0))))
                continue;
            last = path;
            for (var slash = path.LastIndexOf('/'); slash > 0 && known.Add(path.AsSpan(0, slash)); slash = path.LastIndexOf('/', slash - 1))
            {
            }
        }

        foreach (var (path, line, column) in places)
        {
            if (!folders.Contains(path))
                continue;
            var other = places.Find(
                p => p.Path.StartsWith(path, StringComparison.Ordinal) && p.Path.Length > path.Length && p.Path[path.Length] == '/');
            throw fault(
                $"The name \"{path}\" is a file, and \"{other.Path}\" needs it as a folder.",
                line > other.Line ? (line, column) : (other.Line, other.Column));
        }
    }

    /// <summary>Puts entries in the order of their paths; most manifests have them so already.</summary>
    public static void Sort<T>(List<T> entries)
        where T : ManifestEntry
    {
        for (var i = 1; i < entries.Count; i++)
        {
            if (string.CompareOrdinal(entries[i - 1].Path, entries[i].Path) > 0)
            {
                entries.Sort((a, b) => string.CompareOrdinal(a.Path, b.Path));
                return;
            }
        }
    }
}
