using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary><c>mukta move</c> and the sweep of stale releases</summary>
public class MoveTests
{
    [Fact]
    public async Task An_install_moves_to_another_disk_its_launch_entry_follows_and_undo_brings_it_back()
    {
        using var home = await Home.MakeAsync();
        using var disk = new Scratch(inMemory: true);
        home.Scratch.Write("games/gannet-post/screenshots/first.raw", "a picture");
        var before = home.Scratch.Snapshot("games/gannet-post");
        var dry = await home.OnAsync("move", "gannet-post", disk.At("games/post"), "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("reads them back; the old is kept");
        Directory.EnumerateFileSystemEntries(disk.Root).ShouldBeEmpty();
        var moved = await home.OnAsync("move", "gannet-post", disk.At("games/post"), "--yes");
        moved.Code.ShouldBe(0, moved.Err);
        disk.Snapshot("games/post").ShouldBe(before);
        Directory.Exists(home.Scratch.At("games/gannet-post")).ShouldBeFalse();
        File.ReadAllText(home.Scratch.At(".local/share/applications/gannet-post.desktop"))
            .ShouldContain($"Exec={disk.At("games/post/bin/gannet-post")} --mail --window");
        (await home.OnAsync("verify", "gannet-post"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(0, a.Err), a => a.Out.ShouldContain(disk.At("games/post")));
        (await home.OnAsync("move", "gannet-post", disk.At("games/post"), "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("The install is there already"));
        disk.Write("games/neighbour", "somebody else's");
        using var neighbour = System.Diagnostics.Process.Start("sh", ["-c", $"exec 3< '{disk.At("games/neighbour")}'; exec sleep 600"]);
        SpinWait.SpinUntil(() => File.Exists($"/proc/{neighbour.Id}/fd/3"), TimeSpan.FromSeconds(10)).ShouldBeTrue();
        var undone = await home.MuktaAsync("undo", "--yes", "--profiles", "profiles");
        neighbour.Kill();
        undone.Code.ShouldBe(0, "who uses something beside the install is not in the way: " + undone.Err);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(before);
        Directory.Exists(disk.At("games/post")).ShouldBeFalse();
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task Kept_files_of_earlier_operations_stay_with_the_old_install_and_come_back_with_it()
    {
        using var home = await Home.MakeAsync();
        using var disk = new Scratch(inMemory: true);
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        var repaired = (await home.OnAsync("repair", "gannet-post", "--yes", "--json")).Json.GetProperty("operation").GetString()!;
        var moved = await home.OnAsync("move", "gannet-post", disk.At("post"), "--yes");
        moved.Code.ShouldBe(0, moved.Err);
        moved.Out.ShouldContain("of kept files of 1 earlier operation, with the old install");
        Directory.EnumerateFileSystemEntries(disk.Root, repaired, SearchOption.AllDirectories).ShouldBeEmpty();
        File.GetUnixFileMode(disk.At("post/.mukta")).ShouldBe(UnixFileMode.UserRead | UnixFileMode.UserWrite | UnixFileMode.UserExecute
            | UnixFileMode.GroupRead | UnixFileMode.GroupExecute | UnixFileMode.OtherRead | UnixFileMode.OtherExecute);
        (await home.MuktaAsync("undo", "gannet-post", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        (await home.MuktaAsync("undo", repaired, "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(1);
    }

    [Fact]
    public async Task Within_one_disk_it_is_a_rename_and_never_into_itself()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("taken/x", "x");
        (await home.OnAsync("move", "gannet-post", "games/gannet-post/inside", "--yes")).Code.ShouldBe(2);
        Task<Answer> InodeAsync(string path) => Programs.RunAsync(home.Scratch, "stat", "-c", "%i", path);
        var inode = (await InodeAsync("games/gannet-post/bin/gannet-post")).Out;
        var moved = await home.OnAsync("move", "gannet-post", "taken", "--yes", "--json");
        moved.Code.ShouldBe(0, moved.Err);
        (moved.Json.GetProperty("isRename").GetBoolean(), moved.Json.GetProperty("to").GetString())
            .ShouldBe((true, home.Scratch.At("taken/gannet-post")));
        (await InodeAsync("taken/gannet-post/bin/gannet-post")).Out.ShouldBe(inode);
        File.Exists(home.Scratch.At("games/gannet-post/bin/gannet-post")).ShouldBeFalse();
    }

    [Fact]
    public async Task Folders_of_older_releases_are_held_on_request_and_the_current_one_stays()
    {
        using var home = await Home.MakeAsync();
        var profile = File.ReadAllText(home.Scratch.At("profiles/kelp-and-kiln.yaml"))
            .Replace("\"${home}/games/kelp-and-kiln\",", "\"${home}/kilns\",", StringComparison.Ordinal);
        home.Scratch.Write(
            "profiles/kelp-and-kiln.yaml",
            profile.Replace("  marker:", "  layout: folder-per-release\n  marker:", StringComparison.Ordinal));
        home.Scratch.CopyTree("games/kelp-and-kiln", "kilns/0.9.0");
        home.Scratch.CopyTree("games/kelp-and-kiln", "kilns/0.8.1");
        (await home.OnAsync("installs sweep", "kelp-and-kiln", "--dry-run"))
            .ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, a.Err), a => a.Out.ShouldContain("kilns/0.8.1"), a => a.Out.ShouldNotContain("kilns/0.9.0"));
        (await home.OnAsync("installs sweep", "kelp-and-kiln", "--yes")).Code.ShouldBe(0);
        (Directory.Exists(home.Scratch.At("kilns/0.8.1")), Directory.Exists(home.Scratch.At("kilns/0.9.0"))).ShouldBe((false, true));
        (await home.OnAsync("installs sweep", "kelp-and-kiln", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(0), a => a.Out.ShouldContain("No older release"));
        (await home.MuktaAsync("undo", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        Directory.Exists(home.Scratch.At("kilns/0.8.1/bin")).ShouldBeTrue();
    }
}
