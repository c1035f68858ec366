using System.Numerics;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests.Formats;

namespace Mukta.Manifests;

/// <summary>The published list of one release's files.</summary>
public sealed record Manifest
{
    /// <summary>The product's id, such as <c>gannet-post</c>; null in a Metalink that does not say.</summary>
    public string? Product { get; init; }

    /// <summary>The release's version for people, such as <c>1.4.2</c>.</summary>
    public string? Release { get; init; }

    /// <summary>The release's sequence number, which only grows; at least 0.</summary>
    public long? Sequence { get; init; }

    /// <summary>When the manifest stops being valid, UTC.</summary>
    public DateTimeOffset? Expires { get; init; }

    /// <summary>Folders on mirrors below which every file lies under its own path.</summary>
    public IReadOnlyList<MirrorUrl> Bases { get; init; } = [];

    /// <summary>The files, in the order of their paths.</summary>
    public required IReadOnlyList<ManifestFile> Files { get; init; }

    /// <summary>The symbolic links, in the order of their paths.</summary>
    public IReadOnlyList<ManifestLink> Links { get; init; } = [];

    /// <summary>The format that it was read from.</summary>
    public ManifestFormat Format { get; init; }

    /// <summary>Bytes of all files.</summary>
    public long TotalSize => Files.Sum(f => f.Size);

    /// <summary>True if it does not say of every file how long it is.</summary>
    public bool LacksSizes => Files.Any(f => !f.HasSize);

    /// <summary>
    /// The manifest with the sizes that files have in a folder, where it does not say them itself: so a file can be hashed and compared.
    /// One that is not there counts as empty.
    /// </summary>
    public Manifest WithSizesIn(Folder folder) => !LacksSizes ? this : this with
    {
        Files = [.. Files.Select(f => f.HasSize ? f : f with
        {
            Size = Found(folder, f.Path) is { Kind: NodeKind.File, Size: var size } ? size : 0,
        })],
    };

    /// <summary>Refuses a manifest that does not say how long its files are.</summary>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="MuktaException">It does not.</exception>
    public void RefuseWithoutSizes(string source)
    {
        if (LacksSizes)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The manifest does not say how long its files are, and without that nothing can be downloaded.",
                PathBytes.Shown(source), "Get a manifest that does, or make one of a good copy with: mukta manifest make DIR --out FILE");
        }
    }

    private static Node? Found(Folder folder, string path)
    {
        try
        {
            return folder.Look(path);
        }
        catch (DiskException)
        {
            return null; // The verification says what is there instead.
        }
    }

    /// <summary>Files that only a weak hash vouches for.</summary>
    public int WeakFiles => Files.Count(f => f.IsWeak);
}

/// <summary>What a release is and how much it lists.</summary>
/// <param name="Product">The product's id.</param>
/// <param name="Release">The release's version for people.</param>
/// <param name="Sequence">The release's sequence number.</param>
/// <param name="Expires">When the manifest stops being valid.</param>
/// <param name="Files">How many files it lists.</param>
/// <param name="Links">How many symbolic links.</param>
/// <param name="Bytes">Bytes of all files.</param>
/// <param name="WeakFiles">Files that only a weak hash vouches for.</param>
public sealed record ReleaseFacts(
    string? Product, string? Release, long? Sequence, DateTimeOffset? Expires, int Files, int Links, long Bytes, int WeakFiles)
{
    /// <summary>What the release calls itself, such as <c>gannet-post 1.4.2 (release 41)</c>.</summary>
    public string Title =>
        (Product ?? "unnamed release") + (Release is null ? "" : $" {Release}") + (Sequence is { } number ? $" (release {number})" : "");

    /// <summary>The facts of a manifest.</summary>
    public static ReleaseFacts Of(Manifest manifest) => new(
        manifest.Product, manifest.Release, manifest.Sequence, manifest.Expires, manifest.Files.Count, manifest.Links.Count,
        manifest.TotalSize, manifest.WeakFiles);
}

/// <summary>One name that a release lists.</summary>
public abstract record ManifestEntry
{
    /// <summary>Relative to the install, with '/' between segments; checked by <see cref="ManifestPath"/>.</summary>
    public required string Path { get; init; }

    /// <summary>The named group it belongs to.</summary>
    public string? Component { get; init; }
}

/// <summary>One file of a release.</summary>
public sealed record ManifestFile : ManifestEntry
{
    /// <summary>
    /// The group's right to write is the machine's own choice (its umask, an install shared by a group), not the publisher's:
    /// it is neither compared nor changed.
    /// </summary>
    public const int OwnChoice = 0b000_010_000;

    // Small, since a large release has a million files: a bit for each kind of hash, and all digests in one array.
    private const short NoMode = -1;
    private readonly short mode = NoMode;
    private readonly byte kinds;
    private readonly byte[] digests = [];

    /// <summary>Bytes, 0 to 2^63 - 1.</summary>
    public required long Size { get; init; }

    /// <summary>False if the manifest does not say the size, and it is the one that was found, or 0.</summary>
    public bool HasSize { get; init; } = true;

    /// <summary>Hashes of the whole file, best first.</summary>
    public IReadOnlyList<ContentHash> Hashes
    {
        get
        {
            var hashes = new ContentHash[BitOperations.PopCount(kinds)];
            var (left, at) = ((int)kinds, 0);
            for (var i = 0; i < hashes.Length; i++)
            {
                var kind = (HashKind)BitOperations.TrailingZeroCount(left);
                var end = at + kind.DigestLength();
                hashes[i] = new ContentHash(kind, hashes.Length == 1 ? digests : digests[at..end]);
                (left, at) = (left & (left - 1), end);
            }

            return hashes;
        }

        init
        {
            digests = value is [var only] ? only.Digest : [.. value.OrderBy(h => h.Kind).SelectMany(h => h.Digest)];
            kinds = (byte)value.Aggregate(0, (all, hash) => all | (1 << (int)hash.Kind));
            ArgumentOutOfRangeException.ThrowIfNotEqual(BitOperations.PopCount(kinds), value.Count, nameof(value));
        }
    }

    /// <summary>Hashes of the pieces; null if there are none.</summary>
    public PieceList? Pieces { get; init; }

    /// <summary>What few manifests say of a file; null if not stated.</summary>
    public FileExtras? Extras { get; init; }

    /// <summary>Where else the file can be downloaded from, besides the manifest's bases.</summary>
    public IReadOnlyList<MirrorUrl> Urls => Extras?.Urls ?? [];

    /// <summary>Version of this one file.</summary>
    public string? Version => Extras?.Version;

    /// <summary>Operating systems it is for, by their IANA names.</summary>
    public IReadOnlyList<string> OperatingSystems => Extras?.OperatingSystems ?? [];

    /// <summary>Languages it is for (RFC 5646).</summary>
    public IReadOnlyList<string> Languages => Extras?.Languages ?? [];

    /// <summary>Permission bits, 0 to 0777; null if the manifest does not say.</summary>
    public int? Mode
    {
        get => mode == NoMode ? null : mode;
        init => mode = (short)(value ?? NoMode);
    }

    /// <summary>
    /// What proves the file's bytes: its pieces, or one piece as long as the file where only a whole hash is there.
    /// </summary>
    public PieceList Proof => Pieces ?? new PieceList(ProofKind, Math.Max(Size, 1), FirstDigest(ProofKind.DigestLength()));

    /// <summary>How many pieces have to be proven; none for an empty file, whose size says all.</summary>
    public int PieceCount => Size == 0 && !HasSize ? 1 : (int)PieceList.CountFor(Size, Proof.PieceLength);

    /// <summary>Where a piece lies in the file, and how it is hashed.</summary>
    public HashRange RangeOf(int piece) => Proof.RangeOf(piece, Size);

    /// <summary>
    /// A whole hash that has to be proven as well, since it is strong and the pieces are weak; null in the usual case.
    /// </summary>
    public ContentHash? AlsoProve =>
        Pieces is { Kind: var kind } && kind.IsWeak() && Hashes is [{ Kind: var best } whole, ..] && !best.IsWeak() ? whole : null;

    /// <summary>True if only a weak hash vouches for the bytes.</summary>
    public bool IsWeak => ProofKind.IsWeak() && AlsoProve is null;

    /// <summary>The hash function of what proves the file's bytes.</summary>
    public HashKind ProofKind => Pieces?.Kind ?? (HashKind)BitOperations.TrailingZeroCount(kinds);

    private byte[] FirstDigest(int length) => digests.Length == length ? digests : digests[..length];
}

/// <summary>What few manifests say of a file; apart, since a large release has a million files.</summary>
public sealed record FileExtras
{
    /// <summary>Where else the file can be downloaded from, besides the manifest's bases.</summary>
    public IReadOnlyList<MirrorUrl> Urls { get; init; } = [];

    /// <summary>Version of this one file.</summary>
    public string? Version { get; init; }

    /// <summary>Operating systems it is for, by their IANA names.</summary>
    public IReadOnlyList<string> OperatingSystems { get; init; } = [];

    /// <summary>Languages it is for (RFC 5646).</summary>
    public IReadOnlyList<string> Languages { get; init; } = [];
}

/// <summary>One symbolic link of a release.</summary>
public sealed record ManifestLink : ManifestEntry
{
    /// <summary>Relative to the link's folder; never leads out of the install.</summary>
    public required string Target { get; init; }
}

/// <summary>A hash of a whole file.</summary>
public sealed record ContentHash(HashKind Kind, byte[] Digest)
{
    /// <summary>The digest in lower-case hexadecimal.</summary>
    public string Hex => Convert.ToHexStringLower(Digest);
}

/// <summary>A place on a mirror.</summary>
/// <param name="Url">http or https.</param>
/// <param name="Priority">1 (first) to 999999 (RFC 5854, 4.2.17.2); 999999 by default.</param>
/// <param name="Location">Where the mirror is, an ISO 3166-1 code of two letters.</param>
public sealed record MirrorUrl(Uri Url, int Priority = MirrorUrl.LowestPriority, string? Location = null)
{
    /// <summary>The priority of a URL that states none.</summary>
    public const int LowestPriority = 999_999;

    /// <summary>The URL of a file below a base. The path's characters are escaped one segment at a time.</summary>
    public static Uri Below(Uri root, string path) =>
        new(root.AbsoluteUri.TrimEnd('/') + "/" + Uri.EscapeDataString(path).Replace("%2F", "/", StringComparison.Ordinal));
}
