using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>What a new manifest should say beside its files.</summary>
public sealed record ManifestRequest
{
    /// <summary>Bytes of a piece where nothing else is asked for: 1 MiB.</summary>
    public const long UsualPieceLength = 1 << 20;

    /// <summary>The product's id.</summary>
    public string? Product { get; init; }

    /// <summary>The release's version for people.</summary>
    public string? Release { get; init; }

    /// <summary>The release's sequence number.</summary>
    public long? Sequence { get; init; }

    /// <summary>When the manifest stops being valid.</summary>
    public DateTimeOffset? Expires { get; init; }

    /// <summary>Folders on mirrors that hold the tree.</summary>
    public IReadOnlyList<MirrorUrl> Bases { get; init; } = [];

    /// <summary>Bytes of a piece, at least 1024.</summary>
    public long PieceLength { get; init; } = UsualPieceLength;

    /// <summary>Paths below the folder that are not part of the release.</summary>
    public IReadOnlySet<string> LeaveOut { get; init; } = new HashSet<string>();
}

/// <summary>A made manifest, and what is not in it.</summary>
/// <param name="Manifest">The manifest.</param>
/// <param name="LeftOut">A path and the reason, for each thing that a manifest cannot list.</param>
public sealed record MadeManifest(Manifest Manifest, IReadOnlyList<(string Path, string Reason)> LeftOut);

/// <summary>Makes the manifest of a folder, hashing on all cores.</summary>
public static class ManifestMaker
{
    /// <summary>Walks and hashes. The same tree gives the same manifest.</summary>
    /// <exception cref="MuktaException">A file cannot be read, or changes while it is read.</exception>
    public static MadeManifest Make(Folder folder, ManifestRequest request, WorkMeter? meter, CancellationToken cancel)
    {
        var leftOut = new List<(string, string)>();
        var files = new List<(string Path, Node Node)>();
        var links = new List<ManifestLink>();
        meter?.Begin("looking", 0);
        foreach (var entry in TreeWalk.Entries(folder, p => p == ManifestPath.OwnFolder || request.LeaveOut.Contains(p), cancel))
        {
            if (entry.Failure is not null)
                throw entry.Failure;
            if (entry.Node is not { Kind: not NodeKind.Folder } node)
                continue;
            meter?.CountFile();
            if (ReasonToLeaveOut(folder, entry.Path, node) is { } reason)
                leftOut.Add((entry.Path, reason));
            else if (node.Kind == NodeKind.Link)
                links.Add(new ManifestLink { Path = entry.Path, Target = folder.ReadLink(entry.Path) });
            else
                files.Add((entry.Path, node));
        }

        // The whole, and its pieces.
        meter?.Begin("hashing", files.Sum(f => f.Node.Size > request.PieceLength ? 2 * f.Node.Size : f.Node.Size));
        var made = HashAll(folder, files, request.PieceLength, meter, cancel);
        leftOut.Sort((a, b) => string.CompareOrdinal(a.Item1, b.Item1));
        return new MadeManifest(
            new Manifest
            {
                Product = request.Product,
                Release = request.Release,
                Sequence = request.Sequence,
                Expires = request.Expires,
                Bases = request.Bases,
                Files = [.. made.OrderBy(f => f.Path, StringComparer.Ordinal)],
                Links = [.. links.OrderBy(l => l.Path, StringComparer.Ordinal)],
            },
            leftOut);
    }

    private static List<ManifestFile> HashAll(
        Folder folder, List<(string Path, Node Node)> files, long pieceLength, WorkMeter? meter, CancellationToken cancel)
    {
        if (files.Find(f => PieceList.CountFor(f.Node.Size, pieceLength) > MetalinkNames.MostPieces) is { Path: { } path })
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The file has more than {MetalinkNames.MostPieces} pieces.", PathBytes.Shown(path),
                "Choose a larger --piece-size.");
        }

        var hashed = files.Select(f => new ToList(folder, f.Path, f.Node, pieceLength)).ToList();
        RangeHasher.Run(hashed, meter, cancel);
        return [.. hashed.Select(f => f.Listed())];
    }

    /// <summary>A file to be listed. Its first range is the whole file, the others are its pieces where it has more than one.</summary>
    private sealed class ToList(Folder folder, string path, Node node, long pieceLength) : HashedFile
    {
        private const HashKind Kind = HashKind.Sha256;

        private readonly byte[] whole = new byte[Kind.DigestLength()];
        private readonly byte[] pieces = node.Size > pieceLength
            ? new byte[PieceList.CountFor(node.Size, pieceLength) * Kind.DigestLength()] : [];
        private volatile Exception? failure;

        public override int Count => 1 + (pieces.Length / Kind.DigestLength());

        public override (ulong Device, ulong Inode) Place => (node.Device, node.Inode);

        public override HashRange this[int index] =>
            index == 0 ? new HashRange(0, node.Size, Kind)
            : new HashRange((index - 1) * pieceLength, Math.Min(pieceLength, node.Size - ((index - 1) * pieceLength)), Kind);

        public ManifestFile Listed()
        {
            if (failure is MuktaException known)
                throw known;
            if (failure is not null)
            {
                throw new MuktaException(
                    ExitCode.Blocked, "A file cannot be read.", PathBytes.Shown(path),
                    "Check the system's log for disk errors.", failure);
            }

            if (folder.Look(path) is not { } after || !after.IsSameAs(node))
                throw Changed(path);
            return new ManifestFile
            {
                Path = path,
                Size = node.Size,
                Mode = node.Mode & 0x1FF & ~ManifestFile.OwnChoice,
                Hashes = [new ContentHash(Kind, whole)],
                Pieces = pieces.Length > 0 ? new PieceList(Kind, pieceLength, pieces) : null,
            };
        }

        protected override SafeFileHandle Open() => folder.OpenRead(path);

        protected override void Done(int index, in Hashed hashed)
        {
            if (hashed.Digest.IsEmpty)
                failure ??= Changed(path);
            else
                hashed.Digest.CopyTo(index == 0 ? whole : pieces.AsSpan((index - 1) * Kind.DigestLength()));
        }

        protected override void Failed(int index, Exception reason) => failure ??= reason;
    }

    private static MuktaException Changed(string path) => new(
        ExitCode.Blocked, "A file changed while it was being read.", PathBytes.Shown(path),
        "End the program that writes to it, then run the same command again.");

    private static string? ReasonToLeaveOut(Folder folder, string path, Node node) => node.Kind switch
    {
        NodeKind.Special => "a socket, pipe or device",
        _ when ManifestPath.Fault(path) is { } fault => $"its name {fault}",
        NodeKind.Link when ManifestPath.TargetFault(path, folder.ReadLink(path)) is { } fault => $"a link whose target {fault}",
        _ => null,
    };
}
