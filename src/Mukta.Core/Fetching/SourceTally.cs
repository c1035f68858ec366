namespace Mukta.Fetching;

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

    /// <summary>True if it was left aside because of too many wrong pieces.</summary>
    public bool IsDropped { get; private set; }

    /// <summary>True if it had another version of a file from one request to the next.</summary>
    public bool HasChanged { get; private set; }

    /// <summary>Slower than this, every other source is asked first.</summary>
    internal const double SlowBytesPerSecond = 64 * 1024;

    private const int WrongPiecesBeforeDropped = 3;
    private const long TellingBytes = 1 << 20;
    private const long RememberedBytes = 64 << 20;
    private const double TellingSeconds = 1;
    private const double TellingSecondsOfSlowness = 5;
    private const int MostFailuresInARow = 10;

    private readonly Lock measuring = new();
    private long leftAloneUntil, received, busyTicks, busy;
    private int failuresInARow;

    /// <summary>Bytes that it was asked for and is still busy with.</summary>
    internal long Busy => Interlocked.Read(ref busy);

    /// <summary>1, and half of it for each failure since it last sent something right.</summary>
    internal double Trust => 1.0 / (1 << Math.Min(Volatile.Read(ref failuresInARow), MostFailuresInARow));

    /// <summary>True if it is not to be asked now.</summary>
    internal bool IsLeftAlone(long now) => IsDropped || now < Interlocked.Read(ref leftAloneUntil);

    /// <summary>Bytes a second of one of its requests; null if it has not sent enough to tell.</summary>
    internal double? Speed(TimeProvider time)
    {
        var (bytesSoFar, seconds) = Measured(time);
        return bytesSoFar >= TellingBytes || seconds >= TellingSeconds ? Math.Max(bytesSoFar, 1) / Math.Max(seconds, 1e-6) : null;
    }

    /// <summary>True if what it has sent so far came so slowly that every other one is asked first.</summary>
    internal bool IsSlow(TimeProvider time)
    {
        var (bytesSoFar, seconds) = Measured(time);
        return (bytesSoFar >= TellingBytes || seconds >= TellingSecondsOfSlowness)
            && bytesSoFar / Math.Max(seconds, 1e-6) < SlowBytesPerSecond;
    }

    /// <summary>Notes that it had another version of a file.</summary>
    internal void Changed() => HasChanged = true;

    /// <summary>Counts a request that it is busy with.</summary>
    internal void Began(long bytes) => Interlocked.Add(ref busy, bytes);

    /// <summary>Counts that request as over, however it went.</summary>
    internal void Ended(long bytes) => Interlocked.Add(ref busy, -bytes);

    /// <summary>Counts what came in a range of time; what came long ago counts ever less.</summary>
    internal void Came(long count, long ticks)
    {
        lock (measuring)
        {
            received += count;
            busyTicks += ticks;
            if (received > RememberedBytes)
                (received, busyTicks) = (received / 2, busyTicks / 2);
        }
    }

    /// <summary>Leaves it alone until a moment.</summary>
    internal void LeaveAlone(long until) => Interlocked.Exchange(ref leftAloneUntil, until);

    internal void Right(long length)
    {
        Interlocked.Add(ref bytes, length);
        Interlocked.Increment(ref goodPieces);
        Volatile.Write(ref failuresInARow, 0);
    }

    internal void Bad()
    {
        if (Interlocked.Increment(ref badPieces) >= WrongPiecesBeforeDropped && BadPieces > goodPieces / 10)
            IsDropped = true;
    }

    internal void Failed()
    {
        Interlocked.Increment(ref failures);
        Interlocked.Increment(ref failuresInARow);
    }

    private (long Bytes, double Seconds) Measured(TimeProvider time)
    {
        lock (measuring)
            return (received, (double)busyTicks / time.TimestampFrequency);
    }
}
