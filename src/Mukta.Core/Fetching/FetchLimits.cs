namespace Mukta.Fetching;

/// <summary>What a download keeps to.</summary>
public sealed record FetchLimits
{
    /// <summary>Bytes a second at most, over all sources; null for as fast as they come.</summary>
    public long? BytesPerSecond { get; init; }

    /// <summary>After so long without a byte a transfer counts as stalled.</summary>
    public TimeSpan LongestSilence { get; init; } = TimeSpan.FromSeconds(15);

    /// <summary>Bytes a second that a transfer has to bring at the least, over a time as long as <see cref="LongestSilence"/>.</summary>
    public long LowestRate { get; init; } = 1024;
}
