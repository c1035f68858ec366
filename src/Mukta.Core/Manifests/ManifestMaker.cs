using System.Collections.Concurrent;
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

        meter?.Begin("hashing", files.Sum(f => f.Node.Size));
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

    private static ConcurrentBag<ManifestFile> HashAll(
        Folder folder, List<(string Path, Node Node)> files, long pieceLength, WorkMeter? meter, CancellationToken cancel)
    {
        var made = new ConcurrentBag<ManifestFile>();
        using var hashers = new ThreadLocal<PieceHasher>(() => new PieceHasher(), trackAllValues: true);
        var parallel = new ParallelOptions { MaxDegreeOfParallelism = Environment.ProcessorCount, CancellationToken = cancel };
        try
        {
            // The largest first, so that no core is left with one of them at the end.
            Parallel.ForEach(
                Partitioner.Create(files.OrderByDescending(f => f.Node.Size), EnumerablePartitionerOptions.NoBuffering), parallel,
                file => made.Add(HashOne(folder, file.Path, file.Node, pieceLength, hashers.Value!, meter, cancel)));
        }
        catch (AggregateException e) when (e.InnerExceptions.OfType<MuktaException>().FirstOrDefault() is { } failure)
        {
            throw failure;
        }
        catch (AggregateException e) when (e.InnerExceptions.Any(i => i is OperationCanceledException))
        {
            throw new OperationCanceledException(cancel);
        }
        finally
        {
            foreach (var hasher in hashers.Values)
                hasher.Dispose();
        }

        return made;
    }

    private static ManifestFile HashOne(
        Folder folder, string path, Node node, long pieceLength, PieceHasher hasher, WorkMeter? meter, CancellationToken cancel)
    {
        if (PieceList.CountFor(node.Size, pieceLength) > MetalinkNames.MostPieces)
            throw new MuktaException(ExitCode.BadInput, $"The file has more than {MetalinkNames.MostPieces} pieces.", PathBytes.Shown(path), "Choose a larger --piece-size.");
        using var handle = folder.OpenRead(path);
        try
        {
            var (pieces, whole) = hasher.HashPiecesAndWhole(handle, node.Size, pieceLength, HashKind.Sha256, meter, cancel) ?? throw Changed(path);
            if (folder.Look(path) is not { } after || !after.IsSameAs(node))
                throw Changed(path);
            return new ManifestFile
            {
                Path = path,
                Size = node.Size,
                Mode = node.Mode & 0x1FF & ~Verification.Conclusion.OwnChoice,
                Hashes = [new ContentHash(HashKind.Sha256, whole)],
                Pieces = node.Size > pieceLength ? new PieceList(HashKind.Sha256, pieceLength, pieces) : null,
            };
        }
        catch (IOException e)
        {
            throw new MuktaException(ExitCode.Blocked, "A file cannot be read.", PathBytes.Shown(path), "Look at the system's log for disk errors.", e);
        }
    }

    private static MuktaException Changed(string path) => new(
        ExitCode.Blocked, "A file changed while it was being read.", PathBytes.Shown(path), "End the program that writes to it, then run the same command again.");

    private static string? ReasonToLeaveOut(Folder folder, string path, Node node) => node.Kind switch
    {
        NodeKind.Special => "a socket, pipe or device",
        _ when ManifestPath.Fault(path) is { } fault => $"its name {fault}",
        NodeKind.Link when ManifestPath.TargetFault(path, folder.ReadLink(path)) is { } fault => $"a link whose target {fault}",
        _ => null,
    };
}
