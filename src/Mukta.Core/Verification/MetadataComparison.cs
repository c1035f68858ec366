using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>A file whose bytes have to be read to know its state.</summary>
/// <param name="File">As published.</param>
/// <param name="Path">Where it stands; another name than the published one where only the letter case differs.</param>
/// <param name="Found">As the walk saw it.</param>
public sealed record ToRead(ManifestFile File, string Path, Node Found)
{
    /// <summary>True if the bytes are under another name.</summary>
    public bool IsMiscased => Path != File.Path;
}

/// <summary>What names, kinds and sizes tell before any byte is read.</summary>
/// <param name="Findings">What is certain already.</param>
/// <param name="ToRead">What has to be read.</param>
public sealed record MetadataComparison(IReadOnlyList<Finding> Findings, IReadOnlyList<ToRead> ToRead)
{
    /// <summary>Compares names, kinds and sizes.</summary>
    /// <param name="manifest">What should be.</param>
    /// <param name="inventory">What is.</param>
    /// <param name="linkTargets">Where the links at listed paths point.</param>
    public static MetadataComparison Of(Manifest manifest, Inventory inventory, IReadOnlyDictionary<string, string> linkTargets)
    {
        var work = new Comparing(inventory);
        foreach (var file in manifest.Files)
            work.Look(file);
        foreach (var link in manifest.Links)
            work.Look(link, linkTargets);
        return new MetadataComparison(work.Findings, work.ToRead);
    }

    private sealed class Comparing(Inventory inventory)
    {
        private readonly HashSet<string> reported = new(StringComparer.Ordinal);
        private readonly Lazy<ILookup<string, TreeEntry>> byFoldedName = new(() => inventory.Unlisted.Values
            .Where(e => e.Node is { Kind: NodeKind.File } && e.Failure is null)
            .ToLookup(e => e.Path, StringComparer.OrdinalIgnoreCase));

        public List<Finding> Findings { get; } = [];

        public List<ToRead> ToRead { get; } = [];

        public void Look(ManifestFile file)
        {
            if (!IsThere(file, NodeKind.File, out var node))
                return;
            if (node is not { } found)
                LookForOtherCase(file);
            else if (found.Size < file.Size && file.Pieces is null)
                Findings.Add(new Damaged(file, found, Whole(file)));
            else
                ToRead.Add(new ToRead(file, file.Path, found));
        }

        public void Look(ManifestLink link, IReadOnlyDictionary<string, string> targets)
        {
            if (!IsThere(link, NodeKind.Link, out var node))
                return;
            if (node is null)
                Findings.Add(new Missing(link));
            else if (targets.GetValueOrDefault(link.Path) is var target && target != link.Target)
                Findings.Add(new DamagedLink(link, target ?? ""));
        }

        /// <summary>False if a finding says all there is to say; otherwise what is there, or null for nothing.</summary>
        private bool IsThere(ManifestEntry entry, NodeKind kind, out Node? node)
        {
            node = null;
            switch (inventory.At(entry))
            {
                case { Failure: not null, Node: null } blocked:
                    Findings.Add(new Unreadable(entry.Path, blocked.Failure.Reason));
                    return false;
                case { Node: { } found } when found.Kind != kind:
                    Findings.Add(Obstruction(entry.Path, entry, found));
                    return false;
                case { Node: var found }:
                    node = found;
                    return true;
            }

            switch (inventory.Obstacle(entry.Path))
            {
                case { Node: { Kind: not NodeKind.Folder } found } inTheWay:
                    if (reported.Add(inTheWay.Path))
                        Findings.Add(Obstruction(inTheWay.Path, null, found));
                    Findings.Add(new Missing(entry));
                    return false;
                case { Failure: { } failure }:
                    Findings.Add(new Unreadable(entry.Path, failure.Reason));
                    return false;
                default:
                    return true;
            }
        }

        private WrongKind Obstruction(string path, ManifestEntry? entry, Node found)
        {
            var inside = found.Kind == NodeKind.Folder ? inventory.Below(path).ToList() : [];
            return new WrongKind(path, entry, found.Kind, inside.Count, found.Kind switch
            {
                NodeKind.Folder => inside.Sum(e => e.Node?.Size ?? 0),
                NodeKind.File => found.Size,
                _ => 0,
            });
        }

        private void LookForOtherCase(ManifestFile file)
        {
            List<TreeEntry> candidates = byFoldedName.Value.Count == 0 ? []
                : [.. byFoldedName.Value[file.Path].Where(e => e.Node!.Value.Size == file.Size)
                    .OrderBy(e => e.Path, StringComparer.Ordinal)];
            if (candidates.Count == 0)
                Findings.Add(new Missing(file));
            foreach (var candidate in candidates)
                ToRead.Add(new ToRead(file, candidate.Path, candidate.Node!.Value));
        }
    }

    internal static IReadOnlyList<BadRange> Whole(ManifestFile file) =>
        file.PieceCount == 0 ? [] : [new BadRange(0, file.PieceCount - 1, 0, file.Size)];
}
