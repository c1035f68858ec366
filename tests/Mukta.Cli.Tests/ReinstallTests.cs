namespace Mukta.Cli.Tests;

/// <summary><c>mukta reinstall</c>, and <c>repair</c> of a product that is not there</summary>
public class ReinstallTests
{
    [Fact]
    public async Task An_anti_cheat_module_is_made_anew_and_only_its_damaged_piece_is_fetched()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("anti-cheat/tidewarden/lib/libtidewarden.so", 100_000);
        var before = home.Scratch.Snapshot("anti-cheat/tidewarden");
        var dry = await home.OnAsync("reinstall", "tidewarden", "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("swap in            by one rename; the old install is kept");
        dry.Out.ShouldContain("vendor's uninstall bin/tidewarden-setup remove, at most 5 min");
        dry.Out.ShouldContain(".config/tidewarden");
        dry.Out.ShouldContain("untouched    Gannet Post");
        home.Scratch.Snapshot("anti-cheat/tidewarden").ShouldBe(before);
        (await home.OnAsync("reinstall", "tidewarden")).Code.ShouldBe(2, "it asks, and there is nobody to ask");

        var made = await home.OnAsync("reinstall", "tidewarden", "--yes", "--json");
        made.Code.ShouldBe(0, made.Err);
        var install = made.Json.GetProperty("installs")[0];
        install.GetProperty("bytesFetched").GetInt64().ShouldBe(350 * 1024, "the library is one piece");
        install.GetProperty("after").GetProperty("verdict").GetString().ShouldBe("intact");
        File.ReadAllText(home.Scratch.At(".config/tidewarden/watch.conf"))
            .ShouldBe("level = spring\n", "the old settings are swept, the vendor's install has put in its own");
        Directory.Exists(home.Scratch.At(".cache/tidewarden")).ShouldBeFalse();
        (await home.OnAsync("services", "tidewarden")).Code.ShouldBe(0);
        (await home.OnAsync("check", "tidewarden")).Code.ShouldBe(0);

        var undone = await home.MuktaAsync("undo", made.Json.GetProperty("operation").GetString()!, "--yes");
        undone.Code.ShouldBe(0, undone.Err);
        home.Scratch.Snapshot("anti-cheat/tidewarden").ShouldBe(before);
        File.ReadAllText(home.Scratch.At(".config/tidewarden/watch.conf")).ShouldBe("level = neap\n");
    }

    [Fact]
    public async Task Files_named_with_keep_are_restored_and_damaged_ones_of_the_release_are_not()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("launcher/pierhead/mods/blue.skin", "blue");
        home.Scratch.Write("launcher/pierhead/mods/deep/red.skin", "red");
        home.Scratch.Write("launcher/pierhead/bin/notes.txt", "mine");
        home.Scratch.Write("launcher/pierhead/crash.log", "not wanted");
        home.Scratch.Flip("launcher/pierhead/bin/pierhead", 1000);
        var before = home.Scratch.Snapshot("launcher/pierhead");
        var vain = await home.OnAsync("reinstall", "pierhead", "--keep", "skins/**", "--yes");
        vain.Code.ShouldBe(2, vain.Err);
        vain.Err.ShouldContain("skins/**");
        (await home.OnAsync("reinstall", "pierhead", "--keep", "bin/*", "--no-user-data", "--dry-run")).Code.ShouldBe(2);

        var made = await home.OnAsync("reinstall", "pierhead", "--keep", "mods/**", "--keep", "bin/*", "--yes", "--json");
        made.Code.ShouldBe(0, made.Err);
        made.Json.GetProperty("installs")[0].GetProperty("after").GetProperty("verdict").GetString().ShouldBe("intact");
        File.ReadAllText(home.Scratch.At("launcher/pierhead/mods/blue.skin")).ShouldBe("blue");
        File.ReadAllText(home.Scratch.At("launcher/pierhead/mods/deep/red.skin")).ShouldBe("red");
        File.ReadAllText(home.Scratch.At("launcher/pierhead/bin/notes.txt")).ShouldBe("mine");
        File.Exists(home.Scratch.At("launcher/pierhead/crash.log")).ShouldBeFalse();

        (await home.MuktaAsync("undo", "pierhead", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        home.Scratch.Snapshot("launcher/pierhead").ShouldBe(before);
    }

    [Fact]
    public async Task A_launcher_is_made_anew_with_its_games_kept_even_one_inside_of_it_and_the_players_things_come_back()
    {
        using var home = await Home.MakeAsync();
        Directory.Move(home.Scratch.At("games/gannet-post"), home.Scratch.At("launcher/pierhead/gannet-post"));
        Directory.CreateDirectory(home.Scratch.At("launcher/pierhead/gannet-post/screenshots"));
        (await home.OnAsync("installs", "add", "gannet-post", "launcher/pierhead/gannet-post", "--yes")).Code.ShouldBe(0);
        home.Scratch.Write("launcher/pierhead/plugins/old.so", "left behind");
        home.Scratch.Write(
            "profiles/pierhead.yaml", File.ReadAllText(home.Scratch.At("profiles/pierhead.yaml"))
            + "\nuser-data: [\"${install}/themes\", \"${data}/pierhead/friends\"]\n");
        home.Scratch.Write("launcher/pierhead/themes/mine.css", "dusk");
        home.Scratch.Write(".local/share/pierhead/friends/list", "Ada");
        home.Scratch.Flip("launcher/pierhead/bin/pierhead", 5);
        var (game, others) = (home.Scratch.Snapshot("launcher/pierhead/gannet-post"), home.Scratch.Snapshot("games"));

        var made = await home.OnAsync("reinstall", "pierhead", "--yes");
        made.Code.ShouldBe(0, made.Err);
        made.Out.ShouldContain("bring along        what is inside and belongs to others");
        home.Scratch.Snapshot("launcher/pierhead/gannet-post").ShouldBe(game);
        home.Scratch.Snapshot("games").ShouldBe(others);
        File.Exists(home.Scratch.At("launcher/pierhead/plugins/old.so"))
            .ShouldBeFalse("what no manifest lists is held with the old install");
        (File.ReadAllText(home.Scratch.At("launcher/pierhead/themes/mine.css")),
            File.ReadAllText(home.Scratch.At(".local/share/pierhead/friends/list"))).ShouldBe(("dusk", "Ada"));
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
        (await home.MuktaAsync("undo", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        File.ReadAllText(home.Scratch.At("launcher/pierhead/plugins/old.so")).ShouldBe("left behind");
        home.Scratch.Snapshot("launcher/pierhead/gannet-post").ShouldBe(game);
    }

    [Fact]
    public async Task User_data_goes_only_when_the_products_id_is_typed_and_undo_brings_it_back()
    {
        using var home = await Home.MakeAsync();
        var refused = await home.OnAsync("reinstall", "gannet-post", "--no-user-data", "--yes");
        (refused.Code, Directory.Exists(home.Scratch.At(".local/share/gannet-post/logbooks"))).ShouldBe((2, true));
        refused.Err.ShouldContain("--confirm gannet-post");
        refused.Out.ShouldContain("not restored ");
        (await home.OnAsync("reinstall", "gannet-post", "--no-user-data", "--yes", "--confirm", "gannet")).Code.ShouldBe(1);
        Directory.Exists(home.Scratch.At(".local/share/gannet-post/logbooks")).ShouldBeTrue();
        (await home.OnAsync("reinstall", "gannet-post", "--no-user-data", "--yes", "--confirm", "gannet-post")).Code.ShouldBe(0);
        Directory.Exists(home.Scratch.At(".local/share/gannet-post/logbooks")).ShouldBeFalse();
        (await home.MuktaAsync("undo", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        File.ReadAllText(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBe("First letter delivered.\n");
    }

    [Fact]
    public async Task Without_a_source_for_what_is_damaged_nothing_is_touched_and_fresh_fetches_everything()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("launcher/pierhead/bin/pierhead", 5);
        var before = home.Scratch.Snapshot("launcher");
        var offline = await home.OnAsync("reinstall", "pierhead", "--yes", "--offline");
        (offline.Code, home.Scratch.Snapshot("launcher").SequenceEqual(before)).ShouldBe((4, true));
        (await home.MuktaAsync("operations", "--profiles", "profiles", "--json")).Json.GetProperty("operations").GetArrayLength()
            .ShouldBe(0);
        var fresh = await home.OnAsync("reinstall", "pierhead", "--fresh", "--yes", "--json");
        fresh.Code.ShouldBe(0, fresh.Err);
        fresh.Json.GetProperty("installs")[0].GetProperty("bytesFetched").GetInt64()
            .ShouldBe(home.Scratch.Snapshot("mirror/pierhead/3.2.0").Keys
            .Select(f => new FileInfo(home.Scratch.At("mirror/pierhead/3.2.0", f))).Where(f => f.Exists).Sum(f => f.Length));
    }

    [Fact]
    public async Task A_mirror_that_fails_in_the_middle_leaves_the_old_install_and_says_the_two_commands()
    {
        using var home = await Home.MakeAsync("""[ { "kind": "status", "status": 404, "path": "*/news.html", "from": 1, "to": 1000 } ]""");
        File.Delete(home.Scratch.At("launcher/pierhead/share/news.html"));
        home.Scratch.Flip("launcher/pierhead/bin/pierhead", 5);
        var before = home.Scratch.Snapshot("launcher/pierhead");
        var failed = await home.OnAsync("reinstall", "pierhead", "--yes");
        failed.Code.ShouldBe(4, failed.Err);
        failed.Err.ShouldContain("State: preparing. The old install is in its place as it was.");
        failed.Err.ShouldContain("Continue: mukta reinstall pierhead --profiles profiles --yes");
        failed.Err.ShouldContain("Undo: mukta undo ");
        home.Scratch.Snapshot("launcher/pierhead").ShouldBe(before);

        (await home.OnAsync("reinstall", "pierhead", "--yes", "--fresh"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("with other options"));
        home.Scratch.CopyTree("launcher/pierhead", "second");
        (await home.OnAsync("reinstall", "pierhead", "--yes", "--install", "second"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("of another install of Pierhead was begun"));
        var goesOn = await home.OnAsync("reinstall", "pierhead", "--yes", "--from", "mirror/pierhead/3.2.0");
        goesOn.Code.ShouldBe(0, goesOn.Err);
        goesOn.Out.ShouldContain("Resuming operation");
    }

    [Fact]
    public async Task While_a_program_of_it_runs_it_is_refused_by_name()
    {
        using var home = await Home.MakeAsync();
        File.Copy("/bin/sleep", home.Scratch.At("launcher/pierhead/bin/napping"));
        using var running = Programs.Start(home.Scratch, home.Scratch.At("launcher/pierhead/bin/napping"), "600");
        var refused = await home.OnAsync("reinstall", "pierhead", "--yes");
        refused.Code.ShouldBe(3);
        refused.Err.ShouldContain($"process {running.Id}, napping");
        (await home.OnAsync("reinstall", "pierhead", "--yes", "--stop")).Code.ShouldBe(0);
        running.WaitForExit(10_000).ShouldBeTrue();
    }

    [Fact]
    public async Task Several_installs_are_asked_about_or_made_anew_together()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.CopyTree("games/kelp-and-kiln", "second");
        (await home.OnAsync("installs", "add", "kelp-and-kiln", "second", "--yes")).Code.ShouldBe(0);
        home.Scratch.Flip("games/kelp-and-kiln/bin/kelp-and-kiln", 7);
        (await home.OnAsync("reinstall", "kelp-and-kiln", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("There are 2 installs"));
        var both = await home.OnAsync("reinstall", "kelp-and-kiln", "--all-installs", "--yes", "--json");
        both.Code.ShouldBe(0, both.Err);
        both.Json.GetProperty("installs").EnumerateArray().Select(i => i.GetProperty("after").GetProperty("verdict").GetString())
            .ShouldBe(["intact", "intact"]);
    }

    [Fact]
    public async Task A_repair_where_only_the_players_things_are_left_brings_the_game_back_around_them()
    {
        using var home = await Home.MakeAsync();
        foreach (var folder in Directory.EnumerateDirectories(home.Scratch.At("games/gannet-post")))
            Directory.Delete(folder, recursive: true);
        home.Scratch.Write("games/gannet-post/screenshots/first.raw", "a picture");
        var repaired = await home.OnAsync("repair", "gannet-post", "--yes");
        repaired.Code.ShouldBe(0, repaired.Err);
        File.ReadAllText(home.Scratch.At("games/gannet-post/screenshots/first.raw")).ShouldBe("a picture");
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
    }

    [Theory]
    [InlineData("gannet-post", "alone", "gannet-post")]
    [InlineData("gannet-post", "with-needs", "pierhead gannet-post tidewarden")]
    [InlineData("pierhead", "with-games", "pierhead gannet-post kelp-and-kiln")]
    public async Task The_scope_chooses_what_is_made_anew_launchers_first_and_anti_cheat_last(string product, string scope, string made)
    {
        using var home = await Home.MakeAsync();
        var dry = await home.OnAsync("reinstall", product, "--scope", scope, "--dry-run", "--json");
        string.Join(' ', dry.Json.GetProperty("installs").EnumerateArray().Select(i => i.GetProperty("product").GetString()))
            .ShouldBe(made);
    }

    [Fact]
    public async Task A_plan_for_several_products_says_for_each_where_its_bytes_come_from()
    {
        using var home = await Home.MakeAsync();
        File.Delete(home.Scratch.At("games/gannet-post/maps/pier.pak"));
        File.Delete(home.Scratch.At("launcher/pierhead/bin/pierhead"));
        var dry = await home.OnAsync("reinstall", "gannet-post", "--scope", "with-needs", "--dry-run");
        foreach (var line in new[] { "Gannet Post: .* from .*/gannet-post/1.4.2", "Pierhead: .* from .*/pierhead/3.2.0" })
            dry.Out.ShouldMatch(line);
    }

    [Fact]
    public async Task A_plan_that_leaves_the_players_data_out_does_not_say_that_it_comes_back()
    {
        using var home = await Home.MakeAsync();
        var dry = await home.OnAsync("reinstall", "gannet-post", "--no-user-data", "--dry-run");
        dry.Out.ShouldContain("not restored ");
        dry.Out.ShouldNotContain("comes back");
        dry.Out.ShouldNotContain("user data back");
        dry.Out.ShouldNotContain("nothing: what goes");
        dry.Out.ShouldContain("kept         what is removed, user data too; mukta undo restores it");
    }

    [Fact]
    public async Task A_product_that_is_not_there_is_installed_launcher_first()
    {
        using var home = await Home.MakeAsync();
        Directory.Delete(home.Scratch.At("games/gannet-post"), recursive: true);
        Directory.Delete(home.Scratch.At("launcher"), recursive: true);
        var dry = await home.OnAsync("repair", "gannet-post", "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("Gannet Post is not installed where its profile says.");
        dry.Out.IndexOf("Pierhead 3.2.0, install in", StringComparison.Ordinal)
            .ShouldBeLessThan(dry.Out.IndexOf("Gannet Post 1.4.2, install in", StringComparison.Ordinal));
        Directory.Exists(home.Scratch.At("launcher")).ShouldBeFalse();
        var installed = await home.OnAsync("repair", "gannet-post", "--yes");
        installed.Code.ShouldBe(0, installed.Err);
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
        (await home.OnAsync("verify", "pierhead")).Code.ShouldBe(0);
        Directory.Exists(home.Scratch.At(".cache/pierhead/session")).ShouldBeTrue("installing sweeps nothing");
        (await home.MuktaAsync("undo", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        Directory.Exists(home.Scratch.At("games/gannet-post")).ShouldBeFalse();
    }
}
