using Mukta.Disk;

namespace Mukta.Manifests;

/// <summary>The names that a manifest lists: each a good one, none twice, and none in the way of another.</summary>
/// <param name="fault">A fault, with the line and column that it is in.</param>
/// <param name="keepsPlaces">False where nobody is told which names clash: a million places are not kept for that.</param>
internal sealed class EntryNames(Func<string, (int Line, int Column), ManifestFault> fault, bool keepsPlaces = true)
{
    private readonly List<string> paths = [];
    private readonly List<(int Line, int Column)> places = [];

    public int Count => paths.Count;

    /// <summary>Takes a name.</summary>
    /// <exception cref="ManifestFault">It is not a good one, or there are too many.</exception>
    public void Claim(string path, (int Line, int Column) place)
    {
        if (ManifestPath.Fault(path) is { } bad)
            throw fault($"The name \"{PathBytes.Shown(path)}\" {bad}.", place);
        paths.Add(path);
        if (keepsPlaces)
            places.Add(place);
        if (paths.Count > MetalinkNames.MostEntries)
            throw fault($"The manifest lists more than {MetalinkNames.MostEntries} files.", place);
    }

    public void AddRange(EntryNames more)
    {
        paths.AddRange(more.paths);
        places.AddRange(more.places);
    }

    /// <summary>No name may appear twice, and none may be a folder for another one.</summary>
    public void RefuseClashes()
    {
        RefuseTwice();
        var folders = new HashSet<string>(StringComparer.Ordinal);
        var known = folders.GetAlternateLookup<ReadOnlySpan<char>>();
        var last = "";
        foreach (var path in paths)
        {
            var folder = path.AsSpan(0, Math.Max(path.LastIndexOf('/'), 0));
            if (folder.SequenceEqual(last.AsSpan(0, Math.Max(last.LastIndexOf('/'), 0))))
                continue;
            last = path;
            for (var slash = path.LastIndexOf('/'); slash > 0 && known.Add(path.AsSpan(0, slash)); slash = path.LastIndexOf('/', slash - 1))
            {
            }
        }

        if (paths.FindIndex(folders.Contains) is >= 0 and var file)
        {
            var folder = paths[file] + "/";
            var inside = paths.FindIndex(p => p.StartsWith(folder, StringComparison.Ordinal));
            throw fault(
                $"The name \"{paths[file]}\" is a file, and \"{paths[inside]}\" needs it as a folder.", PlaceOf(Math.Max(file, inside)));
        }
    }

    private void RefuseTwice()
    {
        var isSorted = true;
        for (var i = 1; i < paths.Count && isSorted; i++)
            isSorted = string.CompareOrdinal(paths[i - 1], paths[i]) < 0;
        if (isSorted)
            return;
        int[] order = [.. Enumerable.Range(0, paths.Count)];
        Array.Sort(order, (a, b) => string.CompareOrdinal(paths[a], paths[b]) is var byPath and not 0 ? byPath : a.CompareTo(b));
        for (var i = 1; i < order.Length; i++)
        {
            if (paths[order[i]] == paths[order[i - 1]])
            {
                throw fault(
                    $"The name \"{paths[order[i]]}\" appears twice; first in line {PlaceOf(order[i - 1]).Line}.", PlaceOf(order[i]));
            }
        }
    }

    private (int Line, int Column) PlaceOf(int name) => keepsPlaces ? places[name] : default;

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
