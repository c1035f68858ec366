using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Hashing.Lanes;
using Mukta.Manifests;
using Mukta.Repair;
using Mukta.Tests;

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

    [Fact]
    public async Task Of_short_pieces_that_are_proven_together_a_wrong_one_and_one_that_does_not_come_are_asked_for_elsewhere()
    {
        using var scratch = new Scratch();
        foreach (var i in Enumerable.Range(0, 60))
            scratch.Fill($"release/f{i}", (i * 487) + 1, i);
        scratch.Fill("release/long", 9 * Install.PieceLength, 60);
        Directory.CreateDirectory(scratch.At("install/staging"));
        using var published = Folder.Open(scratch.At("release"));
        using var folder = Folder.Open(scratch.At("install"));
        var manifest = ManifestMaker.Make(published, new ManifestRequest { PieceLength = 1 << 20 }, null, TestContext.Current.CancellationToken).Manifest;
        using var first = new Faulty(published, wrong: "f33", missing: "f44");
        using var second = new FolderSource(published) { Rank = 1 };
        using var fetcher = new Fetcher([first, second], new FetchLimits(), TimeProvider.System, null, Serilog.Core.Logger.None)
        {
            Group = new PieceGroup(MessageHasher.With(LaneKernel.Named("avx2")!)),
        };
        List<StagedFile> files = [.. manifest.Files.Select(f => StagedFile.Open(folder, "staging", f, null, TestContext.Current.CancellationToken))];
        try
        {
            var reasons = await Task.WhenAll(files.Select(f => fetcher.FetchAsync(f, TestContext.Current.CancellationToken)))
                .WaitAsync(TimeSpan.FromSeconds(60), TestContext.Current.CancellationToken);
            reasons.ShouldAllBe(r => r == null);
            foreach (var file in files)
                File.ReadAllBytes(scratch.At("install", file.Path)).ShouldBe(File.ReadAllBytes(scratch.At("release", file.File.Path)));
            (fetcher.Tallies[0].BadPieces, fetcher.Tallies[0].Failures).ShouldBe((2, 1), "it is asked once more for what was wrong");
            fetcher.Tallies[1].Bytes.ShouldBe(manifest.Files.Where(f => f.Path is "f33" or "f44").Sum(f => f.Size));
        }
        finally
        {
            files.ForEach(f => f.Dispose());
        }
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
    /// <summary>A folder that sends one file with a wrong byte and has no other.</summary>
    private sealed class Faulty(Folder folder, string wrong, string missing) : ISource, IDisposable
    {
        private readonly FolderSource source = new(folder);

        public string Name => "faulty";

        public bool IsRemote => true;

        public int Rank => 0;

        public Task ProbeAsync(ManifestFile file, CancellationToken cancel) => Task.CompletedTask;

        public async Task<SourceAnswer> OpenAsync(ManifestFile file, ByteRange wanted, CancellationToken cancel)
        {
            await Task.Yield();
            if (file.Path == missing)
                throw new SourceException(Name, "has none", isDead: false);
            var answer = await source.OpenAsync(file, wanted, cancel);
            if (file.Path != wrong)
                return answer;
            await using (answer)
            {
                var bytes = new MemoryStream();
                await answer.Body.CopyToAsync(bytes, cancel);
                bytes.GetBuffer()[wanted.Length / 2] ^= 1;
                bytes.Position = 0;
                return new SourceAnswer(answer.Covers, bytes);
            }
        }

        public void Dispose() => source.Dispose();
    }
}
