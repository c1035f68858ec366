namespace Mukta.Repair;

/// <summary>What one source has done in an operation.</summary>
public sealed class SourceTally(string name)
{
    private long bytes;
    private int badPieces, goodPieces, failures;

    /// <summary>The source's name.</summary>
    public string Name { get; } = name;

    /// <summary>Bytes of pieces that proved right.</summary>
    public long Bytes => Interlocked.Read(ref bytes);

    /// <summary>Pieces that came with other bytes than published.</summary>
    public int BadPieces => Volatile.Read(ref badPieces);

    /// <summary>Requests that were refused or broke off.</summary>
    public int Failures => Volatile.Read(ref failures);

    /// <summary>True where it was left aside because of too many wrong pieces.</summary>
    public bool IsDropped { get; private set; }

    private const int WrongPiecesBeforeDropped = 3;
    private const long TellingBytes = 1 << 20;
    private const double SlowBytesPerSecond = 64 * 1024;

    private long busyTicks, received, leftAloneUntil;

    /// <summary>True where it is not to be asked now.</summary>
    internal bool IsLeftAlone(long now) => IsDropped || now < Interlocked.Read(ref leftAloneUntil);

    /// <summary>True where what it has sent so far came so slowly that another one is asked first.</summary>
    internal bool IsSlow(TimeProvider time)
    {
        var (bytesSoFar, ticks) = (Interlocked.Read(ref received), Interlocked.Read(ref busyTicks));
        var seconds = (double)ticks / time.TimestampFrequency;
        return (bytesSoFar >= TellingBytes || seconds >= 5) && bytesSoFar / Math.Max(seconds, 0.001) < SlowBytesPerSecond;
    }

    /// <summary>Counts what came in a stretch of time.</summary>
    internal void Came(long count, long ticks)
    {
        Interlocked.Add(ref received, count);
        Interlocked.Add(ref busyTicks, ticks);
    }

    /// <summary>Leaves it alone until a moment.</summary>
    internal void LeaveAlone(long until) => Interlocked.Exchange(ref leftAloneUntil, until);

    internal void Right(long length)
    {
        Interlocked.Add(ref bytes, length);
        Interlocked.Increment(ref goodPieces);
    }

    internal void Bad()
    {
        if (Interlocked.Increment(ref badPieces) >= WrongPiecesBeforeDropped && BadPieces > goodPieces / 10)
            IsDropped = true;
    }

    internal void Failed() => Interlocked.Increment(ref failures);
}

/// <summary>What a download keeps to.</summary>
public sealed record FetchLimits
{
    /// <summary>Bytes a second at the most, over all sources; null for as fast as they come.</summary>
    public long? BytesPerSecond { get; init; }

    /// <summary>After so long without a byte a transfer counts as stalled.</summary>
    public TimeSpan LongestSilence { get; init; } = TimeSpan.FromSeconds(15);
}
