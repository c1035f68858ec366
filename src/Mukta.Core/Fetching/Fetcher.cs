using System.Threading.RateLimiting;
using Mukta.Hashing;
using Serilog;

namespace Mukta.Fetching;

/// <summary>
/// Brings the pieces of staged files, several requests at a time, from the source whose turn it is; what one does not
/// deliver right, the next is asked for.
/// </summary>
internal sealed class Fetcher(IReadOnlyList<ISource> sources, FetchLimits limits, TimeProvider time, WorkMeter? meter, ILogger log)
    : IDisposable
{
    /// <summary>Proves short pieces together; null to prove each by itself.</summary>
    public PieceGroup? Group { get; init; }

    /// <summary>One request asks for at most this much, or for one piece where a piece is longer.</summary>
    private const long LongestRequest = 16L << 20;

    private const int BufferLength = 128 * 1024;
    private const int RequestsAtATime = 6;
    private const int FruitlessTries = 2;
    private static readonly TimeSpan LeftAlone = TimeSpan.FromSeconds(20);

    private readonly RateLimiter? rate = limits.BytesPerSecond is { } most ? new TokenBucketRateLimiter(new TokenBucketRateLimiterOptions
    {
        TokenLimit = (int)Math.Clamp(most / 10, BufferLength, int.MaxValue),
        TokensPerPeriod = (int)Math.Clamp(most / 10, 1, int.MaxValue),
        ReplenishmentPeriod = TimeSpan.FromMilliseconds(100),
        QueueLimit = int.MaxValue,
        AutoReplenishment = true,
    }) : null;

    private readonly SemaphoreSlim requests = new(RequestsAtATime, RequestsAtATime);
    private readonly SourceShares shares = new(sources, time);
    private volatile bool isSentInRanges;

    public IReadOnlyList<SourceTally> Tallies => shares.Tallies;

    /// <summary>Brings every piece that is needed. Null when all are there, otherwise why not.</summary>
    public async Task<string?> FetchAsync(StagedFile staged, CancellationToken cancel)
    {
        var reasons = new Reasons();
        var runs = Runs(staged, reasons);
        var alone = isSentInRanges && runs.Count > 1 ? 0 : 1; // A source that ignores ranges sends the whole file at the first request.
        foreach (var run in runs.Take(alone))
            await FetchRunAsync(run, cancel).ConfigureAwait(false);
        if (runs.Count > alone)
        {
            var parallel = new ParallelOptions { MaxDegreeOfParallelism = RequestsAtATime, CancellationToken = cancel };
            await Parallel.ForEachAsync(
                runs.Skip(alone), parallel,
                async (run, token) => await FetchRunAsync(run, token).ConfigureAwait(false)).ConfigureAwait(false);
        }

        return staged.IsComplete ? null : reasons.ToString();
    }

    public void Dispose()
    {
        requests.Dispose();
        rate?.Dispose();
        Group?.Dispose();
    }

    private List<Run> Runs(StagedFile staged, Reasons reasons)
    {
        var runs = new List<(int First, int End)>();
        for (var piece = 0; piece < staged.PieceCount; piece++)
        {
            if (!staged.IsNeeded(piece))
                continue;
            if (runs is [.., var last] && last.End == piece
                && staged.RangeOf(piece).End - staged.RangeOf(last.First).Offset <= LongestRequest)
                runs[^1] = (last.First, piece + 1);
            else
                runs.Add((piece, piece + 1));
        }

        return [.. runs.Select(r => new Run(staged, r.First, r.End, reasons, requests, Group))];
    }

    private async Task FetchRunAsync(Run run, CancellationToken cancel)
    {
        var tried = new List<SourceTally>();
        await run.Slot.EnterAsync(cancel).ConfigureAwait(false);
        try
        {
            while (NextNeeded(run.Staged, run.First, run.End) is not null && shares.Next(tried, run.Length) is { } turn)
            {
                tried.Add(turn.Tally);
                try
                {
                    await TryAsync(turn, run, cancel).ConfigureAwait(false);
                }
                finally
                {
                    turn.Tally.Ended(run.Length);
                }
            }
        }
        finally
        {
            run.Slot.Leave();
        }
    }

    /// <summary>Asks one source for a run's pieces, and again while it brings some of them.</summary>
    private async Task TryAsync(SourceTurn turn, Run run, CancellationToken cancel)
    {
        var (source, tally) = turn;
        for (var fruitless = 0; fruitless < FruitlessTries && !tally.IsLeftAlone(time.GetTimestamp());)
        {
            if (NextNeeded(run.Staged, run.First, run.End, source) is not { } wanted)
                return;
            try
            {
                await run.Slot.EnterAsync(cancel).ConfigureAwait(false);
                if (await AskAsync(turn, run, wanted, cancel).ConfigureAwait(false) is { } trouble)
                    run.Reasons.Add($"{source.Name} {trouble}");
                fruitless = NextNeeded(run.Staged, run.First, run.End, source) == wanted ? fruitless + 1 : 0;
            }
            catch (SourceException e)
            {
                log.Debug("{Source} failed for {Path}: {Reason}", source.Name, run.Staged.File.Path, e.Reason);
                tally.Failed();
                if (e.IsDead)
                    LeaveAlone(tally);
                run.Reasons.Add($"{source.Name} {e.Reason}");
                return;
            }
        }
    }

    private void LeaveAlone(SourceTally tally) =>
        tally.LeaveAlone(time.GetTimestamp() + (long)(LeftAlone.TotalSeconds * time.TimestampFrequency));

    /// <summary>The next pieces that are needed, of those that a source has.</summary>
    private static (int First, int End)? NextNeeded(StagedFile staged, int first, int end, ISource? of = null)
    {
        bool IsWanted(int piece) => staged.IsNeeded(piece) && of?.Has(staged.File, piece) != false;
        while (first < end && !IsWanted(first))
            first++;
        if (first == end)
            return null;
        var last = first;
        while (last < end && IsWanted(last))
            last++;
        return (first, last);
    }

    /// <summary>Asks once. Null when all that came was right, otherwise what was wrong with it.</summary>
    private async Task<string?> AskAsync(SourceTurn turn, Run run, (int First, int End) wanted, CancellationToken cancel)
    {
        var (staged, tally) = (run.Staged, turn.Tally);
        var range = new ByteRange(
            staged.RangeOf(wanted.First).Offset, staged.RangeOf(wanted.End - 1).End - staged.RangeOf(wanted.First).Offset);
        var started = time.GetTimestamp();
        var answer = await turn.Source.OpenAsync(staged.File, range, cancel).ConfigureAwait(false);
        tally.Came(0, time.GetTimestamp() - started);
        if (answer.HasChanged)
            tally.Changed();
        await using (answer.ConfigureAwait(false))
        {
            if (answer.Covers == range)
            {
                if (range.Length < staged.File.Size)
                    isSentInRanges = true;
                return await ReceiveAsync(answer, tally, run, wanted.End, cancel).ConfigureAwait(false);
            }

            // The whole file comes instead of the range: one reader takes all that is needed out of it, the others wait.
            await staged.WholeBody.WaitAsync(cancel).ConfigureAwait(false);
            try
            {
                return NextNeeded(staged, wanted.First, wanted.End) is null ? null
                    : await ReceiveAsync(answer, tally, run, staged.PieceCount, cancel).ConfigureAwait(false);
            }
            finally
            {
                staged.WholeBody.Release();
            }
        }
    }

    private async Task<string?> ReceiveAsync(SourceAnswer answer, SourceTally tally, Run run, int end, CancellationToken cancel)
    {
        var staged = run.Staged;
        var isAlone = run.Slot.Group is null || answer.Covers.Length > run.Length;
        using var intake = new PieceIntake(staged);
        var pace = new Pace(limits, shares, tally, time);
        using var silence = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        string? trouble = null;
        try
        {
            for (var piece = staged.PieceAt(answer.Covers.Offset); piece < end; piece++)
            {
                if (NextNeeded(staged, piece, end) is null)
                    return trouble;
                var isOurs = staged.TryClaim(piece);
                var isRight = false;
                try
                {
                    intake.Begin(piece, isOurs);
                    if (!await ReceivePieceAsync(answer.Body, tally, intake, pace, silence, cancel).ConfigureAwait(false))
                        return Broke(tally, "broke off in the middle");
                    if (!isOurs)
                        continue;
                    isRight = isAlone ? intake.End() : await intake.EndAsync(run.Slot).ConfigureAwait(false);
                }
                finally
                {
                    if (isOurs)
                        staged.Release(piece, isRight);
                }

                if (isRight)
                {
                    tally.Right(staged.RangeOf(piece).Length);
                    meter?.Count(staged.RangeOf(piece).Length);
                }
                else
                {
                    log.Debug("{Source} sent piece {Piece} of {Path} with wrong bytes", tally.Name, piece + 1, staged.File.Path);
                    tally.Bad();
                    trouble = "sent bytes that are not the published ones";
                }
            }

            return trouble;
        }
        catch (Exception e) when (e is HttpRequestException or IOException)
        {
            log.Debug("{Source} broke off: {Reason}", tally.Name, e.Message);
            return Broke(tally, "broke off in the middle");
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            LeaveAlone(tally);
            return Broke(tally, $"sent nothing for {limits.LongestSilence.TotalSeconds:0} s");
        }
    }

    /// <summary>Reads one piece's bytes. False if the body ends first.</summary>
    private async Task<bool> ReceivePieceAsync(
        Stream body, SourceTally tally, PieceIntake intake, Pace pace, CancellationTokenSource silence, CancellationToken cancel)
    {
        while (intake.Left > 0)
        {
            silence.CancelAfter(limits.LongestSilence);
            var started = time.GetTimestamp();
            var got = await body.ReadAsync(intake.Free, silence.Token).ConfigureAwait(false);
            silence.CancelAfter(Timeout.InfiniteTimeSpan); // The disk and the rate take what time they need.
            if (got == 0)
                return false;
            var took = time.GetTimestamp() - started;
            tally.Came(got, took);
            pace.RefuseIfTooSlow(got, took);
            if (rate is not null)
            {
                using var lease = await rate.AcquireAsync(got, cancel).ConfigureAwait(false);
            }

            intake.Came(got);
        }

        return true;
    }

    private static string Broke(SourceTally tally, string how)
    {
        tally.Failed();
        return how;
    }

    /// <summary>
    /// How fast one answer comes, over windows of time. Too slow is what would take for ever, and also what would take long where another
    /// source has shown that it is much faster.
    /// </summary>
    private sealed class Pace(FetchLimits limits, SourceShares shares, SourceTally tally, TimeProvider time)
    {
        private long bytes, ticks;

        /// <summary>Counts what came and how long it was waited for.</summary>
        /// <exception cref="SourceException">It comes too slowly to be waited for.</exception>
        public void RefuseIfTooSlow(long got, long took)
        {
            (bytes, ticks) = (bytes + got, ticks + took);
            var seconds = (double)ticks / time.TimestampFrequency;
            if (seconds < limits.LongestSilence.TotalSeconds)
                return;
            var rate = bytes / seconds;
            if (rate < limits.LowestRate || shares.HasMuchFaster(tally, rate))
                throw new SourceException(tally.Name, $"sent only {Units.Bytes(bytes)} in {seconds:0} s", isDead: true);
            (bytes, ticks) = (0, 0);
        }
    }

    /// <summary>Pieces in a row that are asked for together.</summary>
    private sealed class Run(StagedFile staged, int first, int end, Reasons reasons, SemaphoreSlim requests, PieceGroup? group)
    {
        public StagedFile Staged => staged;

        public int First => first;

        public int End => end;

        public Reasons Reasons => reasons;

        public long Length { get; } = staged.RangeOf(end - 1).End - staged.RangeOf(first).Offset;

        public RequestSlot Slot { get; } = new(requests, CanBeGrouped(staged, first, end) ? group : null);

        private static bool CanBeGrouped(StagedFile staged, int first, int end) =>
            end - first == 1 && staged.RangeOf(first).Length <= PieceIntake.BufferLength && staged.Kind == HashKind.Sha256;
    }

    /// <summary>Why pieces of a file did not come; mostly there are none.</summary>
    private sealed class Reasons
    {
        private readonly List<string> all = [];

        public void Add(string reason)
        {
            lock (all)
                all.Add(reason);
        }

        public override string ToString() =>
            string.Join("; ", all.Distinct().Take(4)) is { Length: > 0 } why ? why : "no source is left";
    }
}
