using Mukta.Cli.Commands;
using Mukta.Disk;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.locate/1</c></summary>
internal sealed record LocateDocument(IReadOnlyList<LocatedPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; init; } = "mukta.locate/1";

    /// <summary>Folders that were recorded and are no installs any more; missing where nothing was recorded.</summary>
    public IReadOnlyList<string>? Forgotten { get; init; }

    public static LocateDocument Of(IReadOnlyList<Located> located, IReadOnlyList<string>? forgotten) =>
        new([.. located.Select(l => new LocatedPart(
        l.Loaded.Profile.Product, l.Loaded.Profile.Title, PathBytes.Shown(l.Loaded.File),
        l.Manifests.Count == 0 ? null : ReleasePart.Of(l.Manifests[0]), l.Fault,
        [.. l.Installs.Select(
        i => new FoundPart(PathBytes.Shown(
        i.Path), i.IsCurrent, i.HasMarker, i.Evidence?.Present, i.Evidence?.Listed, i.Evidence?.Bytes) { Release = i.Release,
        IsRecorded = i.IsRecorded })])
        {
            Pending = l.Pending.Count == 0 ? null : [.. l.Pending.Select(PendingPart.Of)],
        })])
        {
            Forgotten = forgotten is null ? null : [.. forgotten.Select(PathBytes.Shown)],
        };
}

/// <summary>A product.</summary>
internal sealed record LocatedPart(
    string Product, string Title, string Profile, ReleasePart? Release, string? ManifestFault, IReadOnlyList<FoundPart> Installs)
{
    public IReadOnlyList<PendingPart>? Pending { get; init; }
}

/// <summary>An install.</summary>
internal sealed record FoundPart(string Path, bool IsCurrent, bool HasMarker, int? FilesPresent, int? FilesListed, long? Bytes)
{
    public string? Release { get; init; }

    public bool IsRecorded { get; init; }
}

/// <summary><c>mukta.locate-stale/1</c></summary>
internal sealed record StaleDocument(string Format, bool DryRun, int ExitCode, string? Operation, IReadOnlyList<StalePart> Stale);

/// <summary>An older release's folder.</summary>
internal sealed record StalePart(string Product, string Path, long Bytes, long Files, string? Stays);
