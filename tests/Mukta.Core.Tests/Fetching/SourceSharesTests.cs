using Mukta.Fetching;
using Mukta.Manifests;

namespace Mukta.Core.Tests.Fetching;

public sealed class SourceSharesTests
{
    private const long Request = 4 << 20;

    private readonly Clock clock = new();

    [Fact]
    public void Mirrors_of_a_rank_share_the_work_and_the_faster_does_more_of_it()
    {
        var shares = Shares(("fast", 0), ("slow", 0));
        var asked = Simulate(shares, requests: 400, atATime: 6, name => name == "fast" ? 9e6 : 3e6);
        asked["fast"].ShouldBeInRange(300, 390, "five of six requests at a time, and each is over sooner");
        asked["slow"].ShouldBe(400 - asked["fast"]);
        var even = Simulate(Shares(("a", 0), ("b", 0)), requests: 400, atATime: 6, _ => 5e6);
        even["a"].ShouldBeInRange(180, 220);
    }

    [Fact]
    public void One_of_a_lower_rank_does_all_of_it_while_it_does_it_well()
    {
        var shares = Shares(("first", 0), ("second", 1));
        Simulate(shares, requests: 50, atATime: 6, name => name == "first" ? 1e6 : 9e6)
            .ShouldBe(new Dictionary<string, int> { ["first"] = 50 });
    }

    [Fact]
    public void A_very_slow_one_comes_after_all_others()
    {
        var shares = Shares(("first", 0), ("second", 1));
        var asked = Simulate(shares, requests: 50, atATime: 1, name => name == "first" ? 50e3 : 1e6);
        asked.ShouldBe(new Dictionary<string, int> { ["first"] = 1, ["second"] = 49 });
    }

    [Fact]
    public void Each_failure_in_a_row_halves_a_share_and_something_right_gives_it_back()
    {
        var shares = Shares(("a", 0), ("b", 0));
        Simulate(shares, requests: 20, atATime: 2, _ => 1e6);
        shares.Tallies[0].Failed();
        shares.Tallies[0].Failed();
        shares.Tallies[0].Trust.ShouldBe(0.25);
        Simulate(shares, requests: 100, atATime: 6, _ => 1e6, _ => { })["a"].ShouldBeLessThan(30);
        shares.Tallies[0].Right(1);
        shares.Tallies[0].Trust.ShouldBe(1);
    }

    [Fact]
    public void One_that_is_left_alone_is_not_asked_until_its_time_is_over()
    {
        var shares = Shares(("a", 0), ("b", 1));
        shares.Tallies[0].LeaveAlone(clock.GetTimestamp() + 20 * clock.TimestampFrequency);
        Next(shares).ShouldBe("b");
        clock.Now += TimeSpan.FromSeconds(21);
        Next(shares).ShouldBe("a");
    }

    [Fact]
    public void Nothing_is_left_when_all_were_tried()
    {
        var shares = Shares(("a", 0), ("b", 0));
        shares.Next(shares.Tallies, Request).ShouldBeNull();
        Shares().Next([], Request).ShouldBeNull();
    }

    private static string? Next(SourceShares shares)
    {
        var turn = shares.Next([], Request);
        turn?.Tally.Ended(Request);
        return turn?.Tally.Name;
    }

    private SourceShares Shares(params (string Name, int Rank)[] sources) =>
        new([.. sources.Select(s => new Named(s.Name, s.Rank))], clock);

    /// <summary>Lets requests run, so many at a time, each as fast as its source is; answers how many each source was asked.</summary>
    private Dictionary<string, int> Simulate(
        SourceShares shares, int requests, int atATime, Func<string, double> speed, Action<SourceTally>? done = null)
    {
        var asked = new Dictionary<string, int>();
        var running = new PriorityQueue<SourceTurn, TimeSpan>();
        for (var i = 0; i < requests; i++)
        {
            if (running.Count == atATime)
                End();
            var turn = shares.Next([], Request)!;
            asked[turn.Tally.Name] = asked.GetValueOrDefault(turn.Tally.Name) + 1;
            running.Enqueue(turn, clock.Now + TimeSpan.FromSeconds(Request / speed(turn.Tally.Name)));
        }

        while (running.Count > 0)
            End();
        return asked;

        void End()
        {
            running.TryDequeue(out var over, out var at);
            clock.Now = at > clock.Now ? at : clock.Now;
            over!.Tally.Came(Request, (long)(Request / speed(over.Tally.Name) * clock.TimestampFrequency));
            (done ?? (t => t.Right(Request)))(over.Tally);
            over.Tally.Ended(Request);
        }
    }

    private sealed class Named(string name, int rank) : ISource
    {
        public string Name => name;

        public bool IsRemote => true;

        public int Rank => rank;

        public Task ProbeAsync(ManifestFile file, CancellationToken cancel) => Task.CompletedTask;

        public Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel) =>
            throw new NotSupportedException();
    }
}
