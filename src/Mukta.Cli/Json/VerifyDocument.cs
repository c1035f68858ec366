using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.verify/1</c></summary>
internal sealed record VerifyDocument
{
    public string Format { get; init; } = "mukta.verify/1";

    public required string Install { get; init; }

    public required string Verdict { get; init; }

    public required ReleasePart Release { get; init; }

    public required long BytesRead { get; init; }

    public required long BytesTrusted { get; init; }

    public required int FilesTrusted { get; init; }

    public DateTimeOffset? TrustedSince { get; init; }

    public required long ElapsedMs { get; init; }

    public required long BytesToFetch { get; init; }

    public required long BytesGood { get; init; }

    public required bool IsModeCompared { get; init; }

    public required IReadOnlyDictionary<string, int> Counts { get; init; }

    public required IReadOnlyList<FindingPart> Findings { get; init; }

    public ReleasePart? NewerInstalled { get; init; }

    public ReleasePart? OlderInstalled { get; init; }

    public IReadOnlyList<ProcessPart>? Running { get; init; }

    public IReadOnlyList<PendingPart>? Pending { get; init; }

    public string? Next { get; init; }

    public static VerifyDocument Of(VerifyResult result, string install, bool straysCount, string? next) => new()
    {
        Install = PathBytes.Shown(install),
        Verdict = result.IsIntact && !(straysCount && result.Strays.Any()) ? "intact" : "not-intact",
        Release = ReleasePart.Of(result.Release),
        BytesRead = result.BytesRead,
        BytesTrusted = result.BytesTrusted,
        FilesTrusted = result.FilesTrusted,
        TrustedSince = result.TrustedSince,
        ElapsedMs = (long)result.Elapsed.TotalMilliseconds,
        BytesToFetch = result.BytesToFetch,
        BytesGood = result.BytesGood,
        IsModeCompared = result.ModesCompared,
        Counts = CountsOf(result),
        Findings = [.. result.Findings.Select(FindingPart.Of)],
        Next = next,
    };

    private static Dictionary<string, int> CountsOf(VerifyResult result)
    {
        var counts = Enum.GetValues<FileState>().ToDictionary(FindingWords.Name, s => result.Findings.Count(f => f.State == s));
        if (!result.Problems.Any())
        {
            counts[FindingWords.Name(FileState.Intact)] = result.Release.Files + result.Release.Links;
            return counts;
        }

        var listed = result.Manifest.Files.Select(f => f.Path).Concat(result.Manifest.Links.Select(l => l.Path))
            .ToHashSet(StringComparer.Ordinal);
        counts[FindingWords.Name(FileState.Intact)] = listed.Count - result.Problems.Count(f => listed.Contains(f.Path));
        return counts;
    }
}

/// <summary>Which release a document speaks of.</summary>
internal sealed record ReleasePart
{
    public string? Product { get; init; }

    public string? Version { get; init; }

    public long? Sequence { get; init; }

    public DateTimeOffset? Expires { get; init; }

    public required int Files { get; init; }

    public required int Links { get; init; }

    public required long Bytes { get; init; }

    public required int WeakFiles { get; init; }

    public static ReleasePart Of(Manifest manifest) => Of(ReleaseFacts.Of(manifest));

    public static ReleasePart Of(ReleaseFacts release) => new()
    {
        Product = release.Product,
        Version = release.Release,
        Sequence = release.Sequence,
        Expires = release.Expires,
        Files = release.Files,
        Links = release.Links,
        Bytes = release.Bytes,
        WeakFiles = release.WeakFiles,
    };
}

/// <summary>One finding.</summary>
internal sealed record FindingPart(string Path, string State)
{
    public long BytesToFetch { get; init; }

    public long? Size { get; init; }

    public long? SizeFound { get; init; }

    public PiecesPart? Pieces { get; init; }

    public string? FoundAt { get; init; }

    public string? Kind { get; init; }

    public string? KindFound { get; init; }

    public int? FilesInside { get; init; }

    public string? Mode { get; init; }

    public string? ModeFound { get; init; }

    public string? Target { get; init; }

    public string? TargetFound { get; init; }

    public string? Reason { get; init; }

    public static FindingPart Of(Finding finding)
    {
        var part = new FindingPart(PathBytes.Shown(finding.Path), FindingWords.Name(finding.State)) { BytesToFetch = finding.BytesToFetch };
        return finding switch
        {
            Missing { Entry: ManifestFile file } => part with { Kind = "file", Size = file.Size },
            Missing { Entry: ManifestLink link } => part with { Kind = "link", Target = link.Target },
            Damaged d => part with { Kind = "file", Size = d.File.Size, SizeFound = d.Found.Size, Pieces = PiecesPart.Of(d) },
            DamagedLink d => part with { Kind = "link", Target = d.Link.Target, TargetFound = PathBytes.Shown(d.TargetFound) },
            Miscased m => part with { Kind = "file", Size = m.File.Size, FoundAt = PathBytes.Shown(m.FoundAt) },
            WrongKind w => part with
            {
                Kind = w.Entry switch { null => "folder", ManifestLink => "link", _ => "file" },
                KindFound = KindName(w.Found),
                Size = (w.Entry as ManifestFile)?.Size,
                FilesInside = w.Found == NodeKind.Folder ? w.FilesInside : null,
            },
            WrongMode w => part with { Kind = "file", Mode = Units.Mode(w.File.Mode ?? 0), ModeFound = Units.Mode(w.Found.Mode) },
            Unreadable u => part with { Reason = u.Reason },
            Stray s => part with { KindFound = KindName(s.Found.Kind), SizeFound = s.Found.Kind == NodeKind.File ? s.Found.Size : null },
            _ => part,
        };
    }

    private static string KindName(NodeKind kind) => kind == NodeKind.Special ? "special" : FindingWords.Name(kind);
}

/// <summary>The pieces of a damaged file. Piece numbers begin at 1, as in the text.</summary>
internal sealed record PiecesPart(int Total, long Length, IReadOnlyList<BadPart> Bad)
{
    public static PiecesPart Of(Damaged damaged) => new(
        damaged.File.PieceCount, damaged.File.Proof.PieceLength,
        [.. damaged.Bad.Select(b => new BadPart(b.FirstPiece + 1, b.LastPiece + 1, b.Offset, b.Length, b.ZerosFrom))]);
}

/// <summary>Neighbouring bad pieces.</summary>
internal sealed record BadPart(int First, int Last, long Offset, long Length, long? ZerosFrom);
