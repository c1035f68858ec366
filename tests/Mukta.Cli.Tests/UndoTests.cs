namespace Mukta.Cli.Tests;

public class UndoTests
{
    [Fact]
    public async Task A_repair_is_listed_undone_and_done_again()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 70_000);
        File.Delete(game.Scratch.At("game/bin/game"));
        Directory.CreateDirectory(game.Scratch.At("game/sound/gulls bank~"));
        var before = game.Scratch.Snapshot("game");
        var repaired = await game.RepairAsync("--from", "release", "--yes");
        var id = (await game.MuktaAsync("held", "list", "--json")).Json.GetProperty("operations")[0].GetProperty("operation").GetString()!;
        repaired.Out.ShouldContain($"Undo: mukta undo {id}\n");
        (await game.MuktaAsync("held", "list")).Out.ShouldContain("repair, gannet-post 1.4.2");

        (await game.MuktaAsync("undo", "--dry-run"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(0), a => a.Out.ShouldContain("put back the old file"));
        (await game.MuktaAsync("undo")).Code.ShouldBe(2, "nobody is there to be asked");
        var undone = await game.MuktaAsync("undo", id, "--yes", "--json");
        undone.Code.ShouldBe(0, undone.Err);
        game.Scratch.Snapshot("game").ShouldBe(before);
        (await game.MuktaAsync("undo", id, "--yes")).Err.ShouldContain("undone already");
        (await game.MuktaAsync("undo", undone.Json.GetProperty("operation").GetString()!, "--yes")).Code.ShouldBe(0);
        game.Scratch.Snapshot("game").Where(f => !f.Key.EndsWith('~')).ShouldBe(game.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task What_is_held_is_purged_by_name_or_age_and_then_cannot_be_undone()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 70_000);
        await game.RepairAsync("--from", "release", "--yes");
        var id = (await game.MuktaAsync("held", "list", "--json")).Json.GetProperty("operations")[0].GetProperty("operation").GetString()!;
        (await game.MuktaAsync("held", "purge", "--older-than", "14d", "--yes")).Out.ShouldContain("Nothing to delete.");
        (await game.MuktaAsync("held", "purge", "--older-than", "soon", "--yes")).Code.ShouldBe(2);
        (await game.MuktaAsync("held", "purge", "--yes")).Code.ShouldBe(2);
        (await game.MuktaAsync("held", "purge", id, "--dry-run")).Code.ShouldBe(0);
        (await game.MuktaAsync("held", "purge", id, "--yes")).Out.ShouldContain("1.0 MiB deleted permanently.");
        Directory.EnumerateFileSystemEntries(game.Scratch.At("game/.mukta/kept")).ShouldBeEmpty();
        (await game.MuktaAsync("undo", id, "--yes")).Err.ShouldContain("no such operation");
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task Cleared_caches_and_changed_launch_entries_come_back_exactly()
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        home.Scratch.Write(".cache/pierhead/pages-9/a/b", "b");
        var (caches, entries) = (home.Scratch.Snapshot(".cache"), home.Scratch.Snapshot(".local/share"));
        (await home.OnAsync("caches", "pierhead", "--clear", "--yes")).Code.ShouldBe(0);
        (await home.OnAsync("launch", "gannet-post", "--restore", "--yes")).Code.ShouldBe(0);
        home.Scratch.Snapshot(".cache").ShouldNotBe(caches);
        (await home.MuktaAsync("undo", "--yes")).Code.ShouldBe(0);
        home.Scratch.Snapshot(".local/share").ShouldBe(entries);
        (await home.MuktaAsync("undo", "--yes")).Code.ShouldBe(0);
        home.Scratch.Snapshot(".cache").ShouldBe(caches);
        (await home.MuktaAsync("undo", "--yes")).Err.ShouldContain("There is no operation to undo.");
    }

    [Fact]
    public async Task While_the_game_runs_nothing_is_undone()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 70_000);
        await game.RepairAsync("--from", "release", "--yes");
        File.Copy("/bin/sleep", game.Scratch.At("game/bin/sleep"));
        using var running = Programs.Start(game.Scratch, game.Scratch.At("game/bin/sleep"), "600");
        try
        {
            (await game.MuktaAsync("undo", "--yes"))
                .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(3), a => a.Err.ShouldContain($"process {running.Id}, sleep"));
        }
        finally
        {
            running.Kill();
        }
    }
}
