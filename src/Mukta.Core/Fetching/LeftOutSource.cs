using Mukta.Manifests;

namespace Mukta.Fetching;

/// <summary>A mirror that is known and not asked, since the network is left out. It delivers nothing, and says why.</summary>
public sealed class LeftOutSource(string name, int rank) : ISource
{
    /// <inheritdoc/>
    public string Name { get; } = name;

    /// <inheritdoc/>
    public bool IsRemote => true;

    /// <inheritdoc/>
    public int Rank { get; } = rank;

    /// <inheritdoc/>
    public Task ProbeAsync(ManifestFile file, CancellationToken cancel) => throw Failure();

    /// <inheritdoc/>
    public Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel) => throw Failure();

    private SourceException Failure() => new(Name, "is on the network, which --offline leaves out", isDead: true);
}
