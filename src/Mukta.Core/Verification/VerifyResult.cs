using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>One comparison of an install with a manifest.</summary>
public sealed record VerifyResult
{
    private readonly Lazy<Manifest> manifest = null!;
    private readonly ReleaseFacts? release;

    /// <summary>What should be.</summary>
    public Manifest Manifest
    {
        get => manifest.Value;
        init => manifest = new Lazy<Manifest>(value);
    }

    /// <summary>What should be, where it was not read yet: a quick verification may do without.</summary>
    internal Lazy<Manifest> UnreadManifest
    {
        init => manifest = value;
    }

    /// <summary>What the manifest is of.</summary>
    public ReleaseFacts Release
    {
        get => release ?? ReleaseFacts.Of(Manifest);
        init => release = value;
    }

    /// <summary>What differs, in the order of states and then of paths. Intact files are not listed.</summary>
    public required IReadOnlyList<Finding> Findings { get; init; }

    /// <summary>Bytes that were read.</summary>
    public required long BytesRead { get; init; }

    /// <summary>When it began to look, UTC.</summary>
    public DateTimeOffset LookedAt { get; init; }

    /// <summary>How long it took.</summary>
    public required TimeSpan Elapsed { get; init; }

    /// <summary>True if the file system keeps permission bits, so that they were compared.</summary>
    public required bool ModesCompared { get; init; }

    /// <summary>The files whose bytes were found right, as they were; empty unless it was asked for.</summary>
    public IReadOnlyDictionary<string, Node> Proven { get; init; } = new Dictionary<string, Node>();

    /// <summary>Bytes whose proof was taken from an earlier verification, since nothing has touched them.</summary>
    public long BytesTrusted { get; init; }

    /// <summary>Files whose proof was taken from an earlier verification.</summary>
    public int FilesTrusted { get; init; }

    /// <summary>When the oldest of these proofs was made, UTC; null if none was taken.</summary>
    public DateTimeOffset? TrustedSince { get; init; }

    /// <summary>The findings that make an install not intact. Strays do not.</summary>
    public IEnumerable<Finding> Problems => Findings.Where(f => f.State != FileState.Stray);

    /// <summary>The files that no manifest lists.</summary>
    public IEnumerable<Stray> Strays => Findings.OfType<Stray>();

    /// <summary>True if every listed name is as published.</summary>
    public bool IsIntact => !Problems.Any();

    /// <summary>Bytes that a repair would have to fetch.</summary>
    public long BytesToFetch => Findings.Sum(f => f.BytesToFetch);

    /// <summary>Listed bytes that are there and right.</summary>
    public required long BytesGood { get; init; }
}
