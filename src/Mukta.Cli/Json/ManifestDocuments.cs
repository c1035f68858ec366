using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Manifests.Signatures;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.manifest.make/1</c></summary>
internal sealed record ManifestMakeDocument(string Manifest, ReleasePart Release, IReadOnlyList<LeftOutPart> LeftOut)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; init; } = "mukta.manifest.make/1";
}

/// <summary>Something that a manifest cannot list.</summary>
internal sealed record LeftOutPart(string Path, string Reason);

/// <summary><c>mukta.manifest.show/1</c></summary>
internal sealed record ManifestShowDocument
{
    public string Format { get; init; } = "mukta.manifest.show/1";

    public required string Manifest { get; init; }

    public required ReleasePart Release { get; init; }

    public SignerPart? Signer { get; init; }

    public required IReadOnlyList<MirrorPart> Mirrors { get; init; }

    public required IReadOnlyList<ManifestFilePart> Files { get; init; }

    public required IReadOnlyList<ManifestLinkPart> Links { get; init; }

    public static ManifestShowDocument Of(Manifest manifest, Signer? signer, string path) => new()
    {
        Manifest = PathBytes.Shown(path),
        Release = ReleasePart.Of(manifest),
        Signer = signer is null ? null : SignerPart.Of(signer),
        Mirrors = [.. manifest.Bases.Select(MirrorPart.Of)],
        Files = [.. manifest.Files.Select(ManifestFilePart.Of)],
        Links = [.. manifest.Links.Select(l => new ManifestLinkPart(l.Path, l.Target, l.Component))],
    };
}

/// <summary>A mirror.</summary>
internal sealed record MirrorPart(string Url, int Priority, string? Location)
{
    public static MirrorPart Of(MirrorUrl mirror) => new(mirror.Url.AbsoluteUri, mirror.Priority, mirror.Location);
}

/// <summary>A listed file.</summary>
internal sealed record ManifestFilePart(string Path, long? Size)
{
    public string? Component { get; init; }

    public string? Mode { get; init; }

    public string? Version { get; init; }

    public IReadOnlyList<string>? Os { get; init; }

    public IReadOnlyList<string>? Languages { get; init; }

    public required IReadOnlyDictionary<string, string> Hashes { get; init; }

    public PieceSumPart? Pieces { get; init; }

    public IReadOnlyList<MirrorPart>? Urls { get; init; }

    public static ManifestFilePart Of(ManifestFile file) => new(file.Path, file.HasSize ? file.Size : null)
    {
        Component = file.Component,
        Mode = file.Mode is { } mode ? Units.Mode(mode) : null,
        Version = file.Version,
        Os = file.OperatingSystems is { Count: > 0 } os ? os : null,
        Languages = file.Languages is { Count: > 0 } languages ? languages : null,
        Hashes = file.Hashes.ToDictionary(h => Hashing.HashKinds.IanaName(h.Kind), h => h.Hex),
        Pieces = file.Pieces is { } p ? new PieceSumPart(p.Count, p.PieceLength, Hashing.HashKinds.IanaName(p.Kind)) : null,
        Urls = file.Urls is { Count: > 0 } urls ? [.. urls.Select(MirrorPart.Of)] : null,
    };
}

/// <summary>How a file is cut.</summary>
internal sealed record PieceSumPart(int Total, long Length, string Type);

/// <summary>A listed link.</summary>
internal sealed record ManifestLinkPart(string Path, string Target, string? Component);

/// <summary><c>mukta.manifest.convert/1</c></summary>
internal sealed record ManifestConvertDocument(
    string Format, string Manifest, string From, string To, ReleasePart Release, IReadOnlyList<string> Lost);

/// <summary><c>mukta.manifest.sign/1</c></summary>
internal sealed record ManifestSignDocument(string Format, string Manifest, string Signature, SignerPart Signer);

/// <summary>Who has signed a manifest.</summary>
internal sealed record SignerPart(string Name, DateTimeOffset? SignedAt)
{
    public static SignerPart Of(Signer signer) => new(PathBytes.Shown(signer.Name), signer.At);
}

/// <summary><c>mukta.manifest.releases/1</c></summary>
internal sealed record ReleasesDocument(
    string Format, string Product, string Index, string Channel, DateTimeOffset? Expires, SignerPart? Signer,
    IReadOnlyList<IndexedPart> Releases)
{
    public static ReleasesDocument Of(ReleaseIndex index, Signer? signer, IndexPlace place) => new(
        "mukta.manifest.releases/1", index.Product, place.Url.AbsoluteUri, place.Channel, index.Expires,
        signer is null ? null : SignerPart.Of(signer),
        [.. index.Releases.Select(r => IndexedPart.Of(r, r == index.Newest(place.Channel)))]);
}

/// <summary>A release that an index lists.</summary>
internal sealed record IndexedPart(string Release, long Sequence, string Channel, string? Manifest, bool IsCurrent)
{
    public static IndexedPart Of(IndexedRelease release, bool isCurrent) => new(
        PathBytes.Shown(release.Release), release.Sequence, PathBytes.Shown(release.Channel),
        release.Manifest is { } manifest ? PathBytes.Shown(manifest) : null, isCurrent);
}
