using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>How to verify.</summary>
public sealed record VerifyOptions
{
    /// <summary>Counts the work while it is done.</summary>
    public WorkMeter? Meter { get; init; }

    /// <summary>Remember each file that was proven, for a later verification to trust.</summary>
    public bool RememberProven { get; init; }

    /// <summary>
    /// Files proven moments ago by <see cref="VerifyResult.Proven"/>: one that nothing has touched since is not read again.
    /// </summary>
    public IReadOnlyDictionary<string, Node>? Trusted { get; init; }
}

/// <summary>Compares an install with a manifest. Changes nothing.</summary>
public sealed class Verifier(TimeProvider time)
{
    /// <summary>Walks the install, reads what has to be read and says what differs.</summary>
    /// <exception cref="DiskException">The install itself cannot be listed.</exception>
    /// <exception cref="OperationCanceledException">It was interrupted.</exception>
    public VerifyResult Verify(Manifest manifest, Folder install, VerifyOptions options, CancellationToken cancel)
    {
        var (started, looked) = (time.GetTimestamp(), time.GetUtcNow());
        manifest = manifest.WithSizesIn(install);
        options.Meter?.Begin("looking", 0);
        var walk = TreeWalk.Entries(install, path => path == ManifestPath.OwnFolder, cancel);
        var inventory = Inventory.Take(manifest, walk, options.Meter);
        var comparison = MetadataComparison.Of(manifest, inventory, LinkTargets(manifest, inventory, install));

        var (trusted, toRead) = (new List<ToRead>(), new List<ToRead>());
        foreach (var read in comparison.ToRead)
        {
            var isTrusted = options.Trusted?.TryGetValue(read.Path, out var then) == true && then.IsSameAs(read.Found);
            (isTrusted ? trusted : toRead).Add(read);
        }

        var bytes = toRead.Sum(r => Math.Min(r.File.Size, r.Found.Size));
        options.Meter?.Begin("reading", bytes);
        var answers = toRead.Select(r => new ContentAnswer(r, install)).ToList();
        RangeHasher.Run(answers, options.Meter, cancel);

        var modes = FileSystemCapabilities.Of(install.Path).KeepsModes;
        var builder = new ResultBuilder(manifest, inventory, comparison, modes, options.RememberProven);
        return builder.Draw(answers, trusted) with { LookedAt = looked, BytesRead = bytes, Elapsed = time.GetElapsedTime(started) };
    }

    private static Dictionary<string, string> LinkTargets(Manifest manifest, Inventory inventory, Folder install)
    {
        var targets = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var link in manifest.Links)
        {
            if (inventory.At(link) is { Node.Kind: NodeKind.Link })
                targets.Add(link.Path, install.ReadLink(link.Path));
        }

        return targets;
    }
}
