using CsCheck;
using Mukta.Bundles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Tests;

namespace Mukta.Core.Tests.Bundles;

/// <summary>What machines need, on a stick.</summary>
public sealed class BundleTests : IDisposable
{
    private const string Harbour = "maps/harbour.pak", Pier = "maps/pier.pak";

    private readonly Install install = Install.Usual(inMemory: true);

    [Fact]
    public Task Whatever_is_damaged_is_repaired_from_a_bundle_that_holds_no_more_than_that() =>
        Gen.Select(Gen.Int[0, 7].Array[1, 6], Gen.Bool, Gen.Int[1000, 20_000]).SampleAsync(async (flips, isPierGone, part) =>
        {
            foreach (var piece in flips.Distinct())
                install.Scratch.Flip($"install/{Harbour}", (piece * Install.PieceLength) + 5);
            if (isPierGone)
                File.Delete(install.Scratch.At("install", Pier));
            var needed = install.Verify().BytesToFetch;
            using var wish = Wish(Found("one", new NeededFile(Harbour, [.. flips.Distinct().Select(p => (p, p))], 8)),
                Found("two", new NeededFile(Harbour, [(flips[0], flips[0])], 8)),
                isPierGone ? Found("three", new NeededFile(Pier, null, null)) : Found("three"));
            var plan = BundlePlan.For([wish.Value]);
            plan.Bytes.ShouldBe(needed, "each piece once, and no other");
            var made = await MakeAsync(plan, part);
            made.Failures.ShouldBeEmpty();
            Directory.EnumerateFiles(install.Scratch.At("stick/data"), "pieces-*").ShouldAllBe(f => new FileInfo(f).Length <= part);
            Directory.Exists(install.Scratch.At("work/staging")).ShouldBeFalse();
            using (var source = new BundleSource(Bundle.Open(install.Scratch.At("stick"))))
                (await install.RepairAsync(holdStrays: false, [source])).Failures.ShouldBeEmpty();
            install.Verify().IsIntact.ShouldBeTrue();
            Directory.Delete(install.Scratch.At("stick"), recursive: true);
        }, threads: 1, iter: 15);

    [Fact]
    public async Task A_stick_may_be_pulled_out_once_the_bundle_is_done()
    {
        foreach (var loss in Enum.GetValues<Loss>())
        {
            using var wish = Wish();
            using (var disk = new ForgettingDisk(0, [install.Scratch.Root]))
            {
                using (disk.Watching())
                    await MakeAsync(BundlePlan.For([wish.Value]));
                disk.CutPower(loss, 0);
            }

            Directory.Delete(install.Root, recursive: true);
            Directory.CreateDirectory(install.Root);
            File.ReadAllBytes(install.Scratch.At("stick/data/manifests/gannet-post.meta4"))
                .ShouldBe(File.ReadAllBytes(install.Scratch.At("release.meta4")), $"{loss}");
            using (var source = new BundleSource(Bundle.Open(install.Scratch.At("stick"))))
                (await install.RepairAsync(holdStrays: false, [source])).Failures.ShouldBeEmpty($"{loss}");
            install.Verify().IsIntact.ShouldBeTrue($"{loss}");
            Directory.Delete(install.Scratch.At("stick"), recursive: true);
        }
    }

    [Fact]
    public async Task A_bundle_is_a_bag_and_says_what_it_is_for()
    {
        using var wish = Wish(Found("pc-3.json", new NeededFile(Harbour, [(1, 2)], 8)));
        await MakeAsync(BundlePlan.For([wish.Value]));
        using var bundle = Bundle.Open(install.Scratch.At("stick"));
        (bundle.IsComplete, bundle.Pieces, bundle.Bytes).ShouldBe((true, 2, 2 * Install.PieceLength));
        var release = bundle.Releases.ShouldHaveSingleItem();
        (release.Product, release.IsSigned, release.Files).ShouldBe(("gannet-post", false, 1));
        release.For.ShouldBe(["pc-3.json"]);
        File.ReadAllBytes(bundle.ManifestOf("gannet-post")!).ShouldBe(File.ReadAllBytes(install.Scratch.At("release.meta4")), "byte for byte as published");
        bundle.ManifestOf("pierhead").ShouldBeNull();
        ManifestReader.ReadFile(install.Scratch.At("stick")).Files.Select(f => f.Path)
            .ShouldBe(["bundle.json", "manifests/gannet-post.meta4", "pieces-0001", "pieces.txt"]);
    }

    [Fact]
    public async Task A_bundle_of_a_whole_release_makes_an_install_out_of_nothing()
    {
        using var wish = Wish();
        await MakeAsync(BundlePlan.For([wish.Value]), 10_000);
        Directory.Delete(install.Root, recursive: true);
        Directory.CreateDirectory(install.Root);
        using (var source = new BundleSource(Bundle.Open(install.Scratch.At("stick"))))
            await install.RepairAsync(holdStrays: false, [source]);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task What_a_bundle_lacks_comes_from_the_next_source_and_what_it_has_does_not()
    {
        using var wish = Wish(Found("one", new NeededFile(Harbour, [(1, 1), (3, 3)], 8)));
        await MakeAsync(BundlePlan.For([wish.Value]));
        for (var piece = 0; piece < 5; piece++)
            install.Scratch.Flip($"install/{Harbour}", (piece * Install.PieceLength) + 5);
        using var source = new BundleSource(Bundle.Open(install.Scratch.At("stick")));
        using var next = new FolderSource(Folder.Open(install.Scratch.At("release"))) { Rank = 1 };
        var outcome = await install.RepairAsync(holdStrays: false, [source, next]);
        outcome.Failures.ShouldBeEmpty();
        outcome.Sources.Select(s => s.Bytes).ShouldBe([2 * Install.PieceLength, 3 * Install.PieceLength]);
    }

    [Fact]
    public async Task Bytes_that_were_changed_on_the_stick_get_nowhere()
    {
        install.Scratch.Flip($"install/{Harbour}", 5);
        var before = install.Scratch.Snapshot("install");
        using var wish = Wish(Found("one", new NeededFile(Harbour, [(0, 0)], 8)));
        await MakeAsync(BundlePlan.For([wish.Value]));
        install.Scratch.Flip("stick/data/pieces-0001", 100);
        using var source = new BundleSource(Bundle.Open(install.Scratch.At("stick")));
        var outcome = await install.RepairAsync(holdStrays: false, [source]);
        outcome.Failures.ShouldHaveSingleItem().Reason.ShouldContain("sent bytes that are not the published ones");
        install.Scratch.Snapshot("install").ShouldBe(before);
    }

    [Theory]
    [InlineData("pieces.txt", "hello\n")]
    [InlineData("pieces.txt", "")]
    [InlineData("pieces.txt", "00 4096\n")]
    [InlineData("pieces.txt", "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855 -1\n")]
    [InlineData("pieces.txt", "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855 9223372036854775807\n")]
    [InlineData("pieces-0001", "short")]
    [InlineData("bundle.json", "{}")]
    [InlineData("bundle.json", """{"format":"mukta.bundle/1","isComplete":true,"releases":[{"manifest":"../../x","isSigned":false,"for":[],"files":1,"bytes":1}]}""")]
    public async Task A_bundle_that_contradicts_itself_is_refused(string file, string text)
    {
        using var wish = Wish(Found("one", new NeededFile(Harbour, [(0, 0)], 8)));
        await MakeAsync(BundlePlan.For([wish.Value]));
        install.Scratch.Write($"stick/data/{file}", text);
        Should.Throw<MuktaException>(() => Bundle.Open(install.Scratch.At("stick"))).What.ShouldContain("The bundle cannot be used");
    }

    [Fact]
    public async Task A_link_on_the_stick_leads_nowhere()
    {
        using var wish = Wish(Found("one", new NeededFile(Harbour, [(0, 0)], 8)));
        await MakeAsync(BundlePlan.For([wish.Value]));
        File.Move(install.Scratch.At("stick/data/pieces-0001"), install.Scratch.At("pieces"));
        File.CreateSymbolicLink(install.Scratch.At("stick/data/pieces-0001"), install.Scratch.At("pieces"));
        Should.Throw<MuktaException>(() => Bundle.Open(install.Scratch.At("stick")));
    }

    [Fact]
    public void Findings_of_another_release_or_file_are_refused()
    {
        Unfit(Found("one", new NeededFile("maps/none.pak", null, null)), "otherwise than the findings, or not at all");
        Unfit(Found("one", new NeededFile(Harbour, [(0, 8)], 8)), "otherwise than the findings");
        Unfit(Found("one", new NeededFile(Harbour, [(0, 1)], 9)), "otherwise than the findings");
        Unfit(Found("one", new NeededFile(Harbour, [(3, 1)], 8)), "otherwise than the findings");
        Unfit(Found("one") with { Release = "2.0" }, "of another release than the manifest");
        Unfit(Found("one") with { Sequence = 7 }, "of another release than the manifest");

        void Unfit(Findings findings, string why)
        {
            using var wish = Wish(findings);
            Should.Throw<MuktaException>(() => BundlePlan.For([wish.Value])).What.ShouldContain(why);
        }
    }

    [Fact]
    public void What_has_room_is_taken_file_by_file()
    {
        using var wish = Wish();
        var plan = BundlePlan.For([wish.Value]);
        var overhead = plan.Room - plan.Bytes;
        var fitting = plan.Fitting(overhead + 15_000);
        fitting.Files.Select(f => f.File.Path).ShouldBe(["bin/game", "sound/gulls.bank"]);
        fitting.LeftOut.Select(f => f.File.Path).ShouldBe([Harbour, Pier]);
        plan.Fitting(long.MaxValue).LeftOut.ShouldBeEmpty();
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public async Task What_comes_to_nothing_leaves_nothing_behind(bool isInterrupted)
    {
        using var wish = Wish();
        var plan = BundlePlan.For([wish.Value]);
        foreach (var file in Directory.EnumerateFiles(install.Scratch.At("release"), "*", SearchOption.AllDirectories))
        {
            if (!isInterrupted)
                File.Delete(file);
        }

        using var interrupt = new CancellationTokenSource();
        await interrupt.CancelAsync();
        var failure = await Should.ThrowAsync<Exception>(
            () => MakeAsync(plan, 10_000, isInterrupted ? interrupt.Token : TestContext.Current.CancellationToken));
        if (!isInterrupted)
            failure.ShouldBeOfType<MuktaException>().What.ShouldBe("Nothing could be downloaded, so no bundle was made.");
        Directory.GetFileSystemEntries(install.Scratch.At("stick")).ShouldBeEmpty();
        Directory.GetFileSystemEntries(install.Scratch.At("work")).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_failure_at_the_very_end_leaves_nothing_behind()
    {
        using var wish = Wish();
        var plan = BundlePlan.For([wish.Value]);
        File.Delete(install.Scratch.At("release.meta4")); // What is copied last is gone.
        await Should.ThrowAsync<MuktaException>(() => MakeAsync(plan));
        Directory.GetFileSystemEntries(install.Scratch.At("stick")).ShouldBeEmpty();
    }

    [Fact]
    public async Task A_folder_that_holds_something_is_left_alone()
    {
        install.Scratch.Write("stick/letter.txt", "dear");
        using var wish = Wish();
        (await Should.ThrowAsync<MuktaException>(() => MakeAsync(BundlePlan.For([wish.Value])))).What.ShouldContain("not a new or an empty folder");
        Directory.GetFileSystemEntries(install.Scratch.At("stick")).ShouldHaveSingleItem();
    }

    public void Dispose() => install.Dispose();

    private static Findings Found(string name, params NeededFile[] needs) => new(name, "gannet-post", null, null, needs);

    private Held Wish(params Findings[] findings)
    {
        MetalinkWriter.WriteFile(install.Manifest, install.Scratch.At("release.meta4"));
        var sources = SourceList.Of(
            new SourceWish(new HttpSettings("test"), new FetchLimits()) { Named = [install.Scratch.At("release")] }, install.Manifest,
            TimeProvider.System, Serilog.Core.Logger.None);
        return new Held(new BundleWish(new LazyManifest(install.Scratch.At("release.meta4")), sources, findings));
    }

    private Task<MadeBundle> MakeAsync(BundlePlan plan, long part = 1 << 20, CancellationToken? cancel = null) =>
        new BundleMaker(TimeProvider.System, Serilog.Core.Logger.None) { LongestPart = part }
            .MakeAsync(plan, install.Scratch.At("stick"), install.Scratch.At("work"), null, cancel ?? TestContext.Current.CancellationToken);

    private sealed record Held(BundleWish Value) : IDisposable
    {
        public void Dispose() => Value.Sources.Dispose();
    }
}
