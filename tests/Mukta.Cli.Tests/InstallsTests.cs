namespace Mukta.Cli.Tests;

/// <summary><c>mukta installs add</c></summary>
public class InstallsTests
{
    [Fact]
    public async Task A_folder_that_was_moved_is_verified_and_remembered_and_only_what_is_missing_is_fetched()
    {
        using var home = await Home.MakeAsync();
        Directory.Move(home.Scratch.At("games/gannet-post"), home.Scratch.At("old-copy"));
        File.Delete(home.Scratch.At("old-copy/bin/gannet-post"));
        home.Scratch.Write("old-copy/saves/mine.sav", "mine");
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(2, "nobody knows where it is");
        var before = home.Scratch.Snapshot("old-copy", withOwnFolder: true);

        var dry = await home.OnAsync("installs", "add", "gannet-post", "old-copy", "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("are intact; a repair would download");
        dry.Out.ShouldContain("Dry run: nothing was changed.");
        (await home.OnAsync("installs", "add", "gannet-post", "old-copy")).Code.ShouldBe(2, "it asks, and there is nobody to ask");

        var adopted = await home.OnAsync("installs", "add", "gannet-post", "old-copy", "--yes");
        adopted.Code.ShouldBe(1, adopted.Err);
        adopted.Out.ShouldContain($"Next: mukta repair gannet-post --install {home.Scratch.At("old-copy")} --profiles profiles");
        home.Scratch.Snapshot("old-copy", withOwnFolder: true).ShouldBe(before, "nothing in the folder is changed");

        var repaired = await home.OnAsync("repair", "gannet-post", "--yes", "--json");
        repaired.Code.ShouldBe(0, repaired.Err);
        repaired.Json.GetProperty("sources")[0].GetProperty("bytes").GetInt64()
            .ShouldBe(new FileInfo(home.Scratch.At("old-copy/bin/gannet-post")).Length);
        File.ReadAllText(home.Scratch.At("old-copy/saves/mine.sav")).ShouldBe("mine");
        var again = await home.OnAsync("installs", "add", "gannet-post", "old-copy", "--yes", "--json");
        again.Code.ShouldBe(0, again.Err);
        (again.Json.GetProperty("isRecorded").GetBoolean(), again.Json.GetProperty("verify").GetProperty("verdict").GetString())
            .ShouldBe((true, "intact"));
    }

    [Fact]
    public async Task A_folder_of_something_else_is_not_taken()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("holiday/photo", "sea");
        var refused = await home.OnAsync("installs", "add", "gannet-post", "holiday", "--yes");
        refused.Code.ShouldBe(2);
        refused.Err.ShouldContain("Nothing in this folder belongs to Gannet Post");
        refused.Err.ShouldContain("mukta installs gannet-post --search");
        (await home.OnAsync("installs", "add", "gannet-post", "nowhere", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("There is no such folder"));
    }
}
