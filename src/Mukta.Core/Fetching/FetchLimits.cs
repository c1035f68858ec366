namespace Mukta.Fetching;

/// <summary>What a download keeps to.</summary>
public sealed record FetchLimits
{
    /// <summary>Bytes a second at the most, over all sources; null for as fast as they come.</summary>
    public long? BytesPerSecond { get; init; }

    /// <summary>After so long without a byte a transfer counts as stalled.</summary>
    public TimeSpan LongestSilence { get; init; } = TimeSpan.FromSeconds(15);
}
