using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Repair;

namespace Mukta.Core.Tests.Fetching;

/// <summary>What is too slow is not waited for. Time passes as a source says.</summary>
public sealed class FetcherTests : IDisposable
{
    private readonly Install install = Install.Usual();
    private readonly Clock clock = new();
    private readonly Folder release;

    public FetcherTests()
    {
        File.Delete(install.Scratch.At("install/maps/pier.pak"));
        release = Folder.Open(install.Scratch.At("release"));
    }

    [Fact]
    public async Task A_source_that_sends_a_byte_a_second_is_left_for_another_after_a_while()
    {
        using var drips = new Drips(release, clock, bytesASecond: 1);
        using var good = new FolderSource(release) { Rank = 1 };
        var outcome = await RepairAsync(drips, good);
        outcome.Code.ShouldBe(ExitCode.Done);
        clock.Now.ShouldBeLessThan(TimeSpan.FromSeconds(40));
        outcome.Sources.Single(s => s.Name == "drips").Failures.ShouldBe(1);
    }

    [Fact]
    public async Task A_source_that_sends_a_byte_a_second_and_is_the_only_one_is_named()
    {
        using var drips = new Drips(release, clock, bytesASecond: 1);
        var outcome = await RepairAsync(drips);
        outcome.Code.ShouldBe(ExitCode.NoSource);
        outcome.Failures.ShouldHaveSingleItem().Reason.ShouldBe("drips sent only 15 bytes in 15 s");
    }

    [Fact]
    public async Task A_slow_line_is_waited_for_where_it_is_the_only_one()
    {
        using var slow = new Drips(release, clock, bytesASecond: 1100);
        (await RepairAsync(slow)).Code.ShouldBe(ExitCode.Done);
    }

    [Fact]
    public void Only_what_has_shown_to_be_much_faster_is_worth_leaving_a_slow_source_for()
    {
        var shares = new SourceShares([new Drips(release, clock, 1), new FolderSource(release), new FolderSource(release)], clock);
        var (slow, fast, other) = (shares.Tallies[0], shares.Tallies[1], shares.Tallies[2]);
        shares.HasMuchFaster(slow, 5000).ShouldBeFalse("nobody has shown anything");
        other.Came(4 << 20, 400 * clock.TimestampFrequency);
        shares.HasMuchFaster(slow, 5000).ShouldBeFalse("it is only twice as fast");
        fast.Came(4 << 20, 4 * clock.TimestampFrequency);
        shares.HasMuchFaster(slow, 5000).ShouldBeTrue();
        shares.HasMuchFaster(slow, 100_000).ShouldBeFalse("it is fast enough");
        shares.HasMuchFaster(fast, 5000).ShouldBeFalse("the fast one is itself");
        fast.LeaveAlone(clock.GetTimestamp() + clock.TimestampFrequency);
        shares.HasMuchFaster(slow, 5000).ShouldBeFalse("it is left alone now");
    }

    public void Dispose()
    {
        release.Dispose();
        install.Dispose();
    }

    private async Task<RepairOutcome> RepairAsync(params ISource[] sources)
    {
        using var folder = Folder.Open(install.Root);
        using var plan = PreparedRepair.Of(
            install.Verify(), folder, new RepairWish(), new PieceSearch(), TestContext.Current.CancellationToken);
        return await new Repairer(clock, Serilog.Core.Logger.None, Guards.Nobody)
            .RepairAsync(plan, folder, sources, null, TestContext.Current.CancellationToken);
    }

    /// <summary>A folder that sends so many bytes a second.</summary>
    private sealed class Drips(Folder folder, Clock clock, int bytesASecond) : ISource, IDisposable
    {
        private readonly FolderSource source = new(folder);

        public string Name => "drips";

        public bool IsRemote => true;

        public int Rank => 0;

        public Task ProbeAsync(ManifestFile file, CancellationToken cancel) => Task.CompletedTask;

        public async Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel)
        {
            var answer = await source.OpenAsync(file, wanted, cancel);
            return new SourceAnswer(answer.Covers, new Body(answer.Body, clock, bytesASecond));
        }

        public void Dispose() => source.Dispose();
    }

    private sealed class Body(Stream bytes, Clock clock, int bytesASecond) : MemoryStream
    {
        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            clock.Now += TimeSpan.FromSeconds(1);
            return bytes.ReadAsync(buffer[..Math.Min(buffer.Length, bytesASecond)], cancellationToken);
        }
    }
}
