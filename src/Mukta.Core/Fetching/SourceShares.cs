
namespace Mukta.Fetching;

/// <summary>
/// Divides the requests of an operation among its sources. A lower rank goes first. Within a rank each request goes to the
/// source that would be done with it soonest, by how fast it has been so far and by what it is still busy with: so the
/// requests that run at a time are divided in proportion to speed, and each failure in a row halves what a source gets.
/// </summary>
internal sealed class SourceShares(IReadOnlyList<ISource> sources, TimeProvider time)
{
    private readonly Lock choosing = new();

    public IReadOnlyList<SourceTally> Tallies { get; } = [.. sources.Select(s => new SourceTally(s.Name))];

    /// <summary>
    /// The source to ask for a request of so many bytes, counted as busy with it until <see cref="SourceTally.Ended"/>; null if none is
    /// left.
    /// </summary>
    public SourceTurn? Next(IReadOnlyCollection<SourceTally> tried, long bytes)
    {
        lock (choosing)
        {
            var now = time.GetTimestamp();
            var open = sources.Zip(Tallies, (s, t) => new SourceTurn(s, t))
                .Where(t => !tried.Contains(t.Tally) && !t.Tally.IsLeftAlone(now)).ToList();
            var next = open.Count > 1 ? Soonest(open, bytes) : open.FirstOrDefault();
            next?.Tally.Began(bytes);
            return next;
        }
    }

    /// <summary>True if a rate, in bytes a second, is slow, and another source that could be asked is known to be much faster.</summary>
    public bool HasMuchFaster(SourceTally than, double rate)
    {
        const int Much = 8;
        var now = time.GetTimestamp();
        return rate < SourceTally.SlowBytesPerSecond
            && Tallies.Any(t => t != than && !t.IsLeftAlone(now) && t.Speed(time) >= Much * rate);
    }

    private SourceTurn Soonest(List<SourceTurn> open, long bytes)
    {
        var first = open.Min(Order);
        var rank = open.Where(t => Order(t) == first).ToList();
        // What is not measured yet is taken to be as good as the best, and so gets its try.
        var best = rank.Max(t => t.Tally.Speed(time)) ?? 1;
        return rank.MinBy(t => (t.Tally.Busy + bytes) / ((t.Tally.Speed(time) ?? best) * t.Tally.Trust))!;
    }

    private (bool IsSlow, int Rank) Order(SourceTurn turn) => (turn.Tally.IsSlow(time), turn.Source.Rank);
}

/// <summary>A source whose turn it is.</summary>
internal sealed record SourceTurn(ISource Source, SourceTally Tally);
