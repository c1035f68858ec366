using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Caches;
using Mukta.Host.Processes;
using Mukta.Products;
using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host.Caches;

public sealed class CacheTests : IDisposable
{
    private readonly Scratch scratch = new();
    private readonly Machine machine;
    private readonly Profile profile = ProfileReader.Read(new StringReader("""
        format: mukta.profile/1
        product: pier
        title: Pier
        kind: launcher
        installs: {places: ["${home}/pier"]}
        caches:
          - {name: pages, places: ["${cache}/pier/pages-*"]}
          - {name: keys, places: ["${cache}/pier/keys"], clear: no}
          - {name: all, places: ["${data}/pier"]}
        temporary: ["${cache}/pier/part-*"]
        user-data: ["${data}/pier/saves"]
        """), "test.yaml");

    public CacheTests()
    {
        machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        scratch.Fill(".cache/pier/pages-1/a/b", 1000, 1);
        scratch.Fill(".cache/pier/pages-1/c", 500, 2);
        scratch.Fill(".cache/pier/pages-22/d", 1, 3);
        scratch.Fill(".cache/pier/keys/k", 10, 4);
        scratch.Fill(".cache/pier/part-9", 70, 5);
        scratch.Fill(".local/share/pier/saves/one", 5, 6);
    }

    [Fact]
    public void Folders_are_found_by_their_globs_and_measured_and_what_has_to_stay_says_why()
    {
        Look().Select(c => (c.Name, Path.GetFileName(c.Path), c.Size.Bytes, c.Size.Files, c.Blocked is null)).ShouldBe(
            [("pages", "pages-1", 1500, 2, true), ("pages", "pages-22", 1, 1, true), ("keys", "keys", 10, 1, false),
            ("all", "pier", 5, 1, false), ("temporary", "part-9", 70, 1, true)]);
        Look().Single(c => c.Name == "all").Blocked!.ShouldContain("the user's own");
    }

    [Theory]
    [InlineData("outside")]
    [InlineData(".ssh")]
    [InlineData(".local/share/keyrings")]
    public void A_link_on_the_way_leads_to_no_place_that_a_profile_may_not_name(string place)
    {
        using var outside = new Scratch();
        var target = place == "outside" ? outside.At("canary") : scratch.At(place);
        Directory.CreateDirectory(Path.Join(target, "pages-1"));
        File.WriteAllText(Path.Join(target, "pages-1/key"), "canary");
        Directory.Delete(scratch.At(".cache/pier"), recursive: true);
        File.CreateSymbolicLink(scratch.At(".cache/pier"), target);
        Look().Single(c => c.Name == "pages").Blocked.ShouldNotBeNull();
        Should.Throw<MuktaException>(() => Clear(forGood: false, "pages")).Code.ShouldBe(ExitCode.Blocked);
        File.ReadAllText(Path.Join(target, "pages-1/key")).ShouldBe("canary");
    }

    [Theory]
    [InlineData("${data}/pier/saves")]
    [InlineData("${data}/pier/saves/deep")]
    [InlineData("${data}/pier")]
    public void A_cache_that_is_holds_or_lies_in_user_data_stays(string place)
    {
        Directory.CreateDirectory(scratch.At(".local/share/pier/saves/deep"));
        var odd = profile with { Caches = [new CachePlaces("odd", [PathPattern.Parse(place, out _)!], null, CacheClearing.Usual)] };
        new CacheLook(machine).At(odd, null, TestContext.Current.CancellationToken).Single(c => c.Name == "odd")
            .Blocked!.ShouldContain("the user's own");
    }

    [Fact]
    public void A_cache_folder_that_is_on_another_disk_by_a_link_is_the_users_own()
    {
        using var disk = new Scratch();
        Directory.Move(scratch.At(".cache"), disk.At("cache"));
        File.CreateSymbolicLink(scratch.At(".cache"), disk.At("cache"));
        Look().Count(c => c.Blocked is null).ShouldBe(3);
    }

    [Fact]
    public void Clearing_keeps_the_folder_with_its_mode_and_holds_what_was_in_it()
    {
        const UnixFileMode Own = UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute;
        File.SetUnixFileMode(scratch.At(".cache/pier/pages-1"), Own);
        var before = scratch.Snapshot(".cache/pier/pages-1");
        var cleared = Clear(forGood: false, "pages").Single(c => c.Cache.Path.EndsWith("pages-1", StringComparison.Ordinal));
        Directory.EnumerateFileSystemEntries(scratch.At(".cache/pier/pages-1")).ShouldBeEmpty();
        File.GetUnixFileMode(scratch.At(".cache/pier/pages-1")).ShouldBe(Own);
        scratch.Snapshot(Path.GetRelativePath(scratch.Root, cleared.KeptAt!)).ShouldBe(before);
    }

    [Fact]
    public void Clearing_for_good_leaves_nothing_and_nothing_held()
    {
        Clear(forGood: true, "pages", CacheFolder.Temporary).ShouldAllBe(c => c.Failure == null && c.KeptAt == null);
        Directory.EnumerateFileSystemEntries(scratch.At(".cache/pier")).Select(Path.GetFileName).Order()
            .ShouldBe(["keys", "pages-1", "pages-22"]);
        Directory.Exists(scratch.At(".local/state/mukta/kept")).ShouldBeTrue();
        Directory.EnumerateFiles(scratch.At(".local/state/mukta/kept"), "*", SearchOption.AllDirectories).ShouldBeEmpty();
    }

    [Fact]
    public void What_is_on_another_disk_is_held_there()
    {
        Need.That(Directory.Exists("/dev/shm") && new DriveInfo("/dev/shm").Name == "/dev/shm", "/dev/shm is no disk of its own");
        var other = Directory.CreateDirectory($"/dev/shm/mukta-{Guid.NewGuid():N}").FullName;
        try
        {
            Directory.Delete(scratch.At(".cache/pier/pages-1"), recursive: true);
            Directory.CreateDirectory(Path.Join(other, "cache/pier/pages-1"));
            File.WriteAllText(Path.Join(other, "cache/pier/pages-1/x"), "x");
            Directory.Delete(scratch.At(".cache"), recursive: true);
            Directory.CreateSymbolicLink(scratch.At(".cache"), Path.Join(other, "cache"));
            Clear(forGood: false, "pages").ShouldHaveSingleItem().KeptAt!.ShouldStartWith(Path.Join(other, "cache/pier/.mukta/kept/"));
        }
        finally
        {
            Directory.Delete(other, recursive: true);
        }
    }

    [Fact]
    public void A_link_in_the_place_of_a_cache_is_never_followed()
    {
        Directory.Delete(scratch.At(".cache/pier/pages-1"), recursive: true);
        Directory.CreateSymbolicLink(scratch.At(".cache/pier/pages-1"), scratch.At(".local/share"));
        Look().First(c => c.Name == "pages").Blocked.ShouldBe("is a link; the profile has to name the folder that it points to");
    }

    [Fact]
    public void While_the_product_runs_nothing_is_cleared()
    {
        var before = scratch.Snapshot(".cache");
        using var running = System.Diagnostics.Process.Start(
            "sh", ["-c", $"exec 3< '{scratch.At(".cache/pier/pages-1/c")}'; exec sleep 600"]);
        SpinWait.SpinUntil(() => File.Exists($"/proc/{running.Id}/fd/3"), TimeSpan.FromSeconds(10)).ShouldBeTrue();
        Should.Throw<ProductRuns>(() => Clear(false, "pages")).Running.ShouldHaveSingleItem().Pid.ShouldBe(running.Id);
        running.Kill();
        scratch.Snapshot(".cache").ShouldBe(before);
    }

    [Fact]
    public void Very_many_files_take_no_memory()
    {
        const int Many = 30_000;
        Directory.CreateDirectory(scratch.At(".cache/pier/pages-3"));
        for (var i = 0; i < Many; i++)
            File.Create(scratch.At($".cache/pier/pages-3/{i}")).Dispose();
        using var folder = Folder.Open(scratch.At(".cache/pier"));
        TreeBulk.Measure(folder, "pages-1", TestContext.Current.CancellationToken);
        var before = GC.GetAllocatedBytesForCurrentThread();
        TreeBulk.Measure(folder, "pages-3", TestContext.Current.CancellationToken).Files.ShouldBe(Many);
        (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(Many, "not a byte for each");
        TreeBulk.Remove(folder, "pages-3", TestContext.Current.CancellationToken);
        Directory.Exists(scratch.At(".cache/pier/pages-3")).ShouldBeFalse();
    }

    public void Dispose() => scratch.Dispose();

    private IReadOnlyList<CacheFolder> Look() => new CacheLook(machine).At(profile, null, default);

    private IReadOnlyList<ClearedCache> Clear(bool forGood, params string[] names) =>
        new ClearCachesRemedy(Guards.TargetOf(machine, profile), names, Guards.Tools) { IsPermanent = forGood }.Run()!.Cleared;
}
