namespace Mukta.Cli.Tests;

/// <summary>Resetting and removing a product, as a user does it.</summary>
public class RemedyTests
{
    [Fact]
    public async Task Reset_shows_its_plan_sets_settings_aside_and_undo_brings_them_back()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write(".config/gannet-post/options.ini", "volume = loud");
        home.Scratch.Write(".local/share/gannet-post/logbooks/spring.log", "sailed");
        var dry = await home.OnAsync("reset", "gannet-post", "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("set aside");
        dry.Out.ShouldContain(home.Scratch.At(".config/gannet-post"));
        dry.Out.ShouldContain("settings, until mukta undo restores them");
        File.Exists(home.Scratch.At(".config/gannet-post/options.ini")).ShouldBeTrue("a dry run changes nothing");
        (await home.OnAsync("reset", "gannet-post")).Code.ShouldBe(2, "nobody is there to be asked");

        var answer = await home.OnAsync("reset", "gannet-post", "--yes", "--json");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Json.GetProperty("format").GetString().ShouldBe("mukta.reset/1");
        answer.Json.GetProperty("loss").GetString().ShouldBe("settings");
        File.Exists(home.Scratch.At(".config/gannet-post/options.ini")).ShouldBeFalse();
        File.ReadAllText(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBe("sailed");
        (await home.OnAsync("reset", "gannet-post", "--yes")).Out.ShouldContain("has no settings to set aside");
        (await home.MuktaAsync("undo", answer.Json.GetProperty("operation").GetString()!, "--yes")).Code.ShouldBe(0);
        File.ReadAllText(home.Scratch.At(".config/gannet-post/options.ini")).ShouldBe("volume = loud");
    }

    [Fact]
    public async Task Remove_takes_the_game_out_leaves_user_data_and_undo_brings_it_back()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write(".config/gannet-post/options.ini", "volume = loud");
        home.Scratch.Write(".local/share/gannet-post/logbooks/spring.log", "sailed");
        home.Scratch.Write("games/gannet-post/screenshots/one.raw", "a picture");
        var before = home.Scratch.Snapshot("games/gannet-post");
        var answer = await home.OnAsync("remove", "gannet-post", "--yes");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldContain("is removed");
        answer.Out.ShouldContain("Undo: mukta undo ");
        home.Scratch.Snapshot("games/gannet-post").Keys.ShouldBe(["screenshots", "screenshots/one.raw"]);
        File.ReadAllText(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBe("sailed");
        File.Exists(home.Scratch.At(".config/gannet-post/options.ini")).ShouldBeFalse();
        (await home.MuktaAsync("undo", "--yes")).Code.ShouldBe(0);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(before);
    }

    [Fact]
    public async Task User_data_is_removed_only_if_the_id_is_typed()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write(".local/share/gannet-post/logbooks/spring.log", "sailed");
        var refused = await home.OnAsync("remove", "gannet-post", "--with-user-data", "--yes");
        refused.Code.ShouldBe(2, "a yes is not enough");
        refused.Err.ShouldContain("--with-user-data --confirm gannet-post");
        (await home.OnAsync("remove", "gannet-post", "--with-user-data", "--confirm", "pierhead")).Code.ShouldBe(1);
        File.Exists(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBeTrue();
        (await home.OnAsync("remove", "gannet-post", "--with-user-data", "--confirm", "gannet-post")).Code.ShouldBe(0);
        File.Exists(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBeFalse();
        (await home.MuktaAsync("undo", "--yes")).Code.ShouldBe(0);
        File.ReadAllText(home.Scratch.At(".local/share/gannet-post/logbooks/spring.log")).ShouldBe("sailed");
    }

    [Fact]
    public async Task A_product_that_runs_is_neither_reset_nor_removed()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write(".config/gannet-post/options.ini", "volume = loud");
        File.Copy("/bin/sleep", home.Scratch.At("games/gannet-post/bin/sleep"));
        using var running = Programs.Start(home.Scratch, home.Scratch.At("games/gannet-post/bin/sleep"), "600");
        try
        {
            foreach (var command in new[] { "reset", "remove" })
            {
                (await home.OnAsync(command, "gannet-post", "--yes"))
                    .ShouldSatisfyAllConditions(
                    a => a.Code.ShouldBe(3), a => a.Err.ShouldContain($"process {running.Id}, sleep"),
                    a => a.Err.ShouldContain("mukta stop gannet-post"));
            }

            File.Exists(home.Scratch.At(".config/gannet-post/options.ini")).ShouldBeTrue();
        }
        finally
        {
            running.Kill();
        }
    }
}
