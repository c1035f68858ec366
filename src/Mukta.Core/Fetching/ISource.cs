using Mukta.Manifests;

namespace Mukta.Fetching;

/// <summary>Where good bytes come from. What it delivers is not trusted: the caller hashes every piece.</summary>
public interface ISource
{
    /// <summary>What to call it in messages: a URL or a folder.</summary>
    string Name { get; }

    /// <summary>True if bytes come over a network, so that their number is a cost.</summary>
    bool IsRemote { get; }

    /// <summary>Bytes a second that it is held to; null for as many as come.</summary>
    long? MostPerSecond => null;

    /// <summary>Sources of a lower rank are asked first, those of the same rank share the work.</summary>
    int Rank { get; }

    /// <summary>True if it may have a piece of a file; false if it knows that it has not.</summary>
    bool Has(ManifestFile file, int piece) => true;

    /// <summary>Asks, without moving the bytes, whether the source has a file.</summary>
    /// <exception cref="SourceException">It has not, or does not answer.</exception>
    Task ProbeAsync(ManifestFile file, CancellationToken cancel);

    /// <summary>Begins to deliver a range of a file. The answer may cover more than was asked for, never less.</summary>
    /// <exception cref="SourceException">It cannot deliver.</exception>
    Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel);
}

/// <summary>Bytes on their way.</summary>
/// <param name="covers">Which range of the file the body is.</param>
/// <param name="body">The bytes.</param>
/// <param name="owner">What has to be closed with the body.</param>
public sealed class SourceAnswer(ByteRange covers, Stream body, IDisposable? owner = null) : IAsyncDisposable
{
    /// <summary>Which range of the file the body is.</summary>
    public ByteRange Covers { get; } = covers;

    /// <summary>The bytes.</summary>
    public Stream Body { get; } = body;

    /// <summary>True if the source has another version of the file now than it had when it was last asked.</summary>
    public bool HasChanged { get; init; }

    /// <inheritdoc/>
    public async ValueTask DisposeAsync()
    {
        await Body.DisposeAsync().ConfigureAwait(false);
        owner?.Dispose();
    }
}

/// <summary>A source could not deliver a file.</summary>
/// <param name="source">The source's name.</param>
/// <param name="reason">Why, as a few words.</param>
/// <param name="isDead">True if the source as a whole does not answer; false if it is about this file.</param>
/// <param name="inner">The failure underneath.</param>
public sealed class SourceException(string source, string reason, bool isDead, Exception? inner = null)
    : Exception($"{source}: {reason}", inner)
{
    /// <summary>Why.</summary>
    public string Reason { get; } = reason;

    /// <summary>True if the source as a whole does not answer.</summary>
    public bool IsDead { get; } = isDead;
}
