using Mukta.Cli.Commands;
using Mukta.Disk;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.installs/1</c></summary>
internal sealed record InstallsDocument(IReadOnlyList<ProductInstallsPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; init; } = "mukta.installs/1";

    public static InstallsDocument Of(IReadOnlyList<Located> located) =>
        new([.. located.Select(l => new ProductInstallsPart(
        l.Loaded.Profile.Product, l.Loaded.Profile.Title, PathBytes.Shown(l.Loaded.File),
        l.Manifests.Count == 0 ? null : ReleasePart.Of(l.Manifests[0]), l.Fault,
        [.. l.Installs.Select(
        i => new FoundPart(PathBytes.Shown(
        i.Path), i.IsCurrent, i.HasMarker, i.Evidence?.Present, i.Evidence?.Listed, i.Evidence?.Bytes) { Version = i.Release,
        IsRecorded = i.IsRecorded, Behind = l.Behind.TryGetValue(i.Path, out var gap) ? ReleasePart.Of(gap.There) : null })])
        {
            Pending = l.Pending.Count == 0 ? null : [.. l.Pending.Select(PendingPart.Of)],
        })]);
}

/// <summary>A product.</summary>
internal sealed record ProductInstallsPart(
    string Product, string Title, string Profile, ReleasePart? Release, string? ManifestFault, IReadOnlyList<FoundPart> Installs)
{
    public IReadOnlyList<PendingPart>? Pending { get; init; }
}

/// <summary>An install.</summary>
internal sealed record FoundPart(string Path, bool IsCurrent, bool IsMarked, int? FilesPresent, int? FilesListed, long? Bytes)
{
    public string? Version { get; init; }

    public bool IsRecorded { get; init; }

    /// <summary>The release that it is of, where a newer one is known.</summary>
    public ReleasePart? Behind { get; init; }
}

/// <summary><c>mukta.installs.sweep/1</c></summary>
internal sealed record StaleDocument(string Format, bool IsDryRun, int ExitCode, string? Operation, IReadOnlyList<StalePart> Stale);

/// <summary>An older release's folder.</summary>
internal sealed record StalePart(string Product, string Path, long Bytes, long Files, string? Stays);

/// <summary><c>mukta.installs.forget/1</c></summary>
internal sealed record ForgetDocument(string Format, bool IsDryRun, int ExitCode, IReadOnlyList<ForgottenPart> Installs);

/// <summary>A record of an install.</summary>
internal sealed record ForgottenPart(string Product, string Path);
