using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.manifest.compare/1</c></summary>
internal sealed record CompareDocument
{
    public required string Format { get; init; }

    public required ReleasePart Old { get; init; }

    public required ReleasePart New { get; init; }

    public required IReadOnlyList<ComparedPart> Added { get; init; }

    public required IReadOnlyList<ComparedPart> Changed { get; init; }

    public required IReadOnlyList<ComparedPart> Removed { get; init; }

    public required int LinksChanged { get; init; }

    public required int ModesChanged { get; init; }

    public required long BytesToFetch { get; init; }

    public static CompareDocument Of(Manifest old, Manifest newer, ManifestComparison found) => new()
    {
        Format = "mukta.manifest.compare/1",
        Old = ReleasePart.Of(old),
        New = ReleasePart.Of(newer),
        Added = [.. found.Added.Select(f => new ComparedPart(PathBytes.Shown(f.Path), f.Size, null))],
        Changed = [.. found.Changed.Select(c => new ComparedPart(PathBytes.Shown(c.New.Path), c.New.Size, c.BytesToFetch))],
        Removed = [.. found.Removed.Select(f => new ComparedPart(PathBytes.Shown(f.Path), f.Size, null))],
        LinksChanged = found.LinksChanged,
        ModesChanged = found.ModesChanged,
        BytesToFetch = found.BytesToFetch,
    };
}

/// <summary>A file of a comparison.</summary>
internal sealed record ComparedPart(string Path, long Size, long? BytesToFetch);
