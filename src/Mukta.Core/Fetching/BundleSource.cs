using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Fetching;

/// <summary>A bundle as a source of the pieces that it holds.</summary>
public sealed class BundleSource(Bundle bundle) : ISource, IDisposable
{
    /// <inheritdoc/>
    public string Name => bundle.Path;

    /// <inheritdoc/>
    public bool IsRemote => false;

    /// <inheritdoc/>
    public int Rank { get; init; }

    /// <inheritdoc/>
    public bool Has(ManifestFile file, int piece) => bundle.Has(file, piece);

    /// <inheritdoc/>
    public Task ProbeAsync(ManifestFile file, CancellationToken cancel) =>
        Enumerable.Range(0, file.PieceCount).Any(p => bundle.Has(file, p)) ? Task.CompletedTask
            : Task.FromException(new SourceException(Name, "holds nothing of this file", isDead: false));

    /// <inheritdoc/>
    public Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel)
    {
        var (first, last) = ((int)(wanted.Offset / file.Proof.PieceLength), (int)((wanted.End - 1) / file.Proof.PieceLength));
        if (Enumerable.Range(first, last - first + 1).Any(p => !bundle.Has(file, p)))
            throw new SourceException(Name, "does not hold this part", isDead: false);
        try
        {
            return Task.FromResult(new SourceAnswer(wanted, bundle.Read(file, first, last - first + 1)));
        }
        catch (DiskException e)
        {
            throw new SourceException(Name, "cannot be read", isDead: false, e);
        }
    }

    /// <inheritdoc/>
    public void Dispose() => bundle.Dispose();
}
