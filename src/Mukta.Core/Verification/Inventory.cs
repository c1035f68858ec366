using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>What is in an install, sorted by what the manifest lists. Plain facts; nothing is read from here on.</summary>
public sealed class Inventory
{
    private readonly Dictionary<string, TreeEntry> listed = new(StringComparer.Ordinal);
    private readonly Dictionary<string, TreeEntry> unlisted = new(StringComparer.Ordinal);

    private Inventory()
    {
    }

    /// <summary>Everything that no manifest lists and that is not a folder, and the folders that could not be listed.</summary>
    public IReadOnlyDictionary<string, TreeEntry> Unlisted => unlisted;

    /// <summary>Sorts what a walk has found.</summary>
    public static Inventory Take(Manifest manifest, IEnumerable<TreeEntry> entries, WorkMeter? meter = null)
    {
        var inventory = new Inventory();
        var names = new HashSet<string>(manifest.Files.Count + manifest.Links.Count, StringComparer.Ordinal);
        foreach (var file in manifest.Files)
            names.Add(file.Path);
        foreach (var link in manifest.Links)
            names.Add(link.Path);
        foreach (var entry in entries)
        {
            meter?.CountFile();
            if (names.Contains(entry.Path))
                inventory.listed.Add(entry.Path, entry);
            else if (entry.Node is not { Kind: NodeKind.Folder } || entry.Failure is not null)
                inventory.unlisted.Add(entry.Path, entry);
        }

        return inventory;
    }

    /// <summary>What is at a listed path; null if nothing is.</summary>
    public TreeEntry? At(ManifestEntry entry) => listed.GetValueOrDefault(entry.Path);

    /// <summary>What keeps a path from being there: the first thing on the way that is not a folder that can be listed.</summary>
    public TreeEntry? Obstacle(string path) => unlisted.Count == 0 ? null
        : ManifestPath.Folders(path).Select(f => unlisted.GetValueOrDefault(f)).FirstOrDefault(e => e is not null);

    /// <summary>The unlisted things below a path.</summary>
    public IEnumerable<TreeEntry> Below(string path) =>
        unlisted.Values.Where(
        e => e.Path.Length > path.Length && e.Path[path.Length] == '/' && e.Path.StartsWith(path, StringComparison.Ordinal));
}
