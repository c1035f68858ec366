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
        var id = (await game.MuktaAsync("operations", "--json")).Json.GetProperty("operations")[0].GetProperty("operation").GetString()!;
        repaired.Out.ShouldContain($"Undo: mukta undo {id}\n");
        (await game.MuktaAsync("operations")).Out.ShouldContain("  repair  gannet-post  ");

        (await game.MuktaAsync("undo", "--dry-run"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(0), a => a.Out.ShouldContain("restore a file"));
        (await game.MuktaAsync("undo")).Code.ShouldBe(2, "nobody is there to be asked");
        foreach (var word in new[] { id[..^2], "gannet-post" })
            (await game.MuktaAsync("undo", word, "--dry-run")).Out.ShouldContain(id);
        (await game.MuktaAsync("undo", "pierhead", "--dry-run")).Err.ShouldContain("no such operation");
        var undone = await game.MuktaAsync("undo", id, "--yes", "--json");
        undone.Code.ShouldBe(0, undone.Err);
        game.Scratch.Snapshot("game").ShouldBe(before);
        (await game.MuktaAsync("undo", id, "--yes")).Err.ShouldContain("already undone");
        (await game.MuktaAsync("undo", undone.Json.GetProperty("operation").GetString()!, "--yes")).Code.ShouldBe(0);
        game.Scratch.Snapshot("game").Where(f => !f.Key.EndsWith('~')).ShouldBe(game.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task An_undo_that_has_not_restored_everything_is_finished_before_it_can_be_undone()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 70_000);
        game.Scratch.Write("game/sound/gulls bank", "damaged");
        var before = game.Scratch.Snapshot("game");
        await game.RepairAsync("--from", "release", "--yes");
        var kept = Directory.EnumerateFiles(game.Scratch.At("game/.mukta/kept"), "*", SearchOption.AllDirectories)
            .Single(f => new FileInfo(f).Length == 7);
        File.Move(kept, game.Scratch.At("lost"));
        var undo = await game.MuktaAsync("undo", "gannet-post", "--yes", "--json");
        undo.Json.GetProperty("notRestored").GetArrayLength().ShouldBe(1, undo.Out);
        var (id, operation) = (undo.Json.GetProperty("operation").GetString()!, undo.Json.GetProperty("undoes").GetString()!);
        (await game.MuktaAsync("undo", id, "--yes")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(3), a => a.Err.ShouldContain("cannot be undone"), a => a.Err.ShouldContain($"mukta undo {operation}"));

        File.Move(game.Scratch.At("lost"), kept);
        (await game.MuktaAsync("undo", operation, "--yes")).Code.ShouldBe(0);
        game.Scratch.Snapshot("game").ShouldBe(before);
        (await game.MuktaAsync("undo", id, "--yes")).Code.ShouldBe(0);
        game.Scratch.Snapshot("game").ShouldBe(game.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task What_is_held_is_purged_by_name_or_age_and_then_cannot_be_undone()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 70_000);
        await game.RepairAsync("--from", "release", "--yes");
        var id = (await game.MuktaAsync("operations", "--json")).Json.GetProperty("operations")[0].GetProperty("operation").GetString()!;
        (await game.MuktaAsync("operations", "purge", "--older-than", "14d", "--yes")).Out.ShouldContain("Nothing to delete.");
        (await game.MuktaAsync("operations", "purge", "--older-than", "soon", "--yes")).Code.ShouldBe(2);
        (await game.MuktaAsync("operations", "purge", "--yes")).Code.ShouldBe(2);
        (await game.MuktaAsync("operations", "purge", id, "--dry-run")).Code.ShouldBe(0);
        (await game.MuktaAsync("operations", "purge", id, "--yes")).Out.ShouldContain("1.0 MiB deleted permanently.");
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
        (await home.OnAsync("caches clear", "pierhead", "--yes")).Code.ShouldBe(0);
        (await home.OnAsync("shortcuts restore", "gannet-post", "--yes")).Code.ShouldBe(0);
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
