using Mukta.Cli.Commands;
using Mukta.Disk;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.locate/1</c></summary>
internal sealed record LocateDocument(IReadOnlyList<LocatedPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; init; } = "mukta.locate/1";

    public static LocateDocument Of(IReadOnlyList<Located> located) => new([.. located.Select(l => new LocatedPart(
        l.Shelved.Profile.Product, l.Shelved.Profile.Title, PathBytes.Shown(l.Shelved.File), l.Manifest is null ? null : ReleasePart.Of(l.Manifest), l.Fault?.Message,
        [.. l.Installs.Select(i => new FoundPart(PathBytes.Shown(i.Path), i.IsCurrent, i.HasMarker, i.Evidence?.Present, i.Evidence?.Listed, i.Evidence?.Bytes))]))]);
}

/// <summary>A product.</summary>
internal sealed record LocatedPart(string Product, string Title, string Profile, ReleasePart? Release, string? ManifestFault, IReadOnlyList<FoundPart> Installs);

/// <summary>An install.</summary>
internal sealed record FoundPart(string Path, bool IsCurrent, bool HasMarker, int? FilesPresent, int? FilesListed, long? Bytes);
