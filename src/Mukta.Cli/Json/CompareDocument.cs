using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.manifest.compare/1</c></summary>
internal sealed record CompareDocument(
    string Format, ReleasePart Old, ReleasePart New, IReadOnlyList<ComparedPart> Added, IReadOnlyList<ComparedPart> Changed, IReadOnlyList<ComparedPart> Removed, int LinksChanged, int ModesChanged, long BytesToFetch)
{
    public static CompareDocument Of(Manifest old, Manifest newer, ManifestComparison found) => new(
        "mukta.manifest.compare/1", ReleasePart.Of(old), ReleasePart.Of(newer),
        [.. found.Added.Select(f => new ComparedPart(PathBytes.Shown(f.Path), f.Size, null))],
        [.. found.Changed.Select(c => new ComparedPart(PathBytes.Shown(c.New.Path), c.New.Size, c.BytesToFetch))],
        [.. found.Removed.Select(f => new ComparedPart(PathBytes.Shown(f.Path), f.Size, null))], found.LinksChanged, found.ModesChanged, found.BytesToFetch);
}

/// <summary>A file of a comparison.</summary>
internal sealed record ComparedPart(string Path, long Size, long? BytesToFetch);
