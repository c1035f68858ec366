namespace Mukta.Cli.Tests;

/// <summary>Repairs from mirrors, folders and this machine, on bad days.</summary>
public class SourceTests
{
    [Theory]
    [InlineData("""{ "kind": "status", "status": 503, "from": 1, "to": 3 }""")]
    [InlineData("""{ "kind": "status", "status": 429, "retryAfter": 1, "from": 2, "to": 2 }""")]
    [InlineData("""{ "kind": "cut", "bytes": 50000, "from": 2, "to": 3 }""")]
    [InlineData("""{ "kind": "flip", "bytes": 1000, "from": 2, "to": 2 }""")]
    [InlineData("""{ "kind": "delay", "milliseconds": 300 }""")]
    [InlineData("""{ "kind": "ignore-range" }""")]
    [InlineData("""{ "kind": "other-range", "bytes": 5000, "from": 1, "to": 2 }""")]
    [InlineData("""{ "kind": "html", "from": 2, "to": 2 }""")]
    [InlineData(
        """{ "kind": "cut", "bytes": 70000, "from": 3, "to": 4 }, { "kind": "flip", "bytes": 5, "from": 5, "to": 5 }, { "kind": "status", "status": 500, "from": 2, "to": 2 }""")]
    public async Task With_a_fault_at_the_mirror_a_second_one_makes_up_for_it_and_nothing_wrong_gets_in(string faults)
    {
        using var game = await GameFolder.MakeAsync();
        using var bad = await Mirror.StartAsync(game.Scratch, "release", $"[{faults}]");
        using var good = await Mirror.StartAsync(game.Scratch, "release");
        Break(game);
        var answer = await game.RepairAsync("--from", bad.Url, "--from", good.Url, "--yes");
        answer.Code.ShouldBe(0, answer.Out + answer.Err);
        game.ShouldBeWhole();
    }

    [Theory]
    [InlineData("status", "")]
    [InlineData("cut", ", \"bytes\": 30000")]
    [InlineData("stall", ", \"bytes\": 30000")]
    [InlineData("flip", ", \"bytes\": 7")]
    [InlineData("ignore-range", "")]
    [InlineData("other-range", ", \"bytes\": -100")]
    [InlineData("html", "")]
    public async Task A_fault_at_any_request_of_the_only_mirror_ends_intact_or_with_4_and_harms_nothing(string kind, string more)
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.CopyTree("game", "sound");
        for (var request = 1; request <= 4; request++)
            await OnceAsync(game, $$"""[{ "kind": "{{kind}}"{{more}}, "from": {{request}}, "to": {{request}} }]""");
        await OnceAsync(game, $$"""[{ "kind": "{{kind}}"{{more}}, "from": 2 }]""");
    }

    [Fact]
    public async Task Mixed_faults_end_intact_or_with_4_and_harm_nothing()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.CopyTree("game", "sound");
        var random = new Random(2026);
        string[] kinds = ["status", "cut", "flip", "ignore-range", "other-range", "html"];
        for (var i = 0; i < 8; i++)
        {
            var faults = Enumerable.Range(0, 3)
                .Select(_ =>
                $$"""{ "kind": "{{kinds[random.Next(kinds.Length)]}}", "bytes": {{random.Next(60_000)}}, "from": {{random.Next(1, 6)}}, "to": {{random.Next(1, 8)}} }""");
            await OnceAsync(game, $"[{string.Join(',', faults)}]");
        }
    }

    [Fact]
    public async Task A_mirror_that_always_lies_is_dropped_after_a_few_pieces_and_named()
    {
        using var game = await GameFolder.MakeAsync();
        using var liar = await Mirror.StartAsync(game.Scratch, "release", """[{ "kind": "flip", "bytes": 5 }]""");
        Break(game);
        var answer = await game.RepairAsync("--from", liar.Url, "--from", "release", "--yes", "--json");
        answer.Code.ShouldBe(0, answer.Err);
        var tally = answer.Json.GetProperty("sources")[0];
        tally.GetProperty("badPieces").GetInt32().ShouldBeInRange(1, 9);
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task Offline_the_network_is_left_out_and_a_folder_or_this_machine_is_enough()
    {
        using var game = await GameFolder.MakeAsync("--base-url", "http://127.0.0.1:9/");
        Break(game);
        (await game.RepairAsync("--offline", "--from", "http://127.0.0.1:9/", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("--offline leaves the network out"));
        (await game.RepairAsync("--offline", "--yes")).Code.ShouldBe(4);
        game.Scratch.CopyTree("release", "stick");
        var answer = await game.RepairAsync("--offline", "--also", "stick", "--yes");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldContain("of the needed bytes are on this machine already");
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task A_limit_of_the_rate_is_kept_and_a_bad_one_refused()
    {
        using var game = await GameFolder.MakeAsync();
        Break(game);
        (await game.RepairAsync("--from", "release", "--max-rate", "5", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("1 KiB to 1 GiB"));
        var clock = System.Diagnostics.Stopwatch.StartNew();
        (await game.RepairAsync("--from", "release", "--max-rate", "128KiB", "--yes")).Code.ShouldBe(0);
        clock.Elapsed.ShouldBeGreaterThan(
            TimeSpan.FromSeconds(2.5), "over half a MiB at 128 KiB a second; a slow machine only takes longer");
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task A_component_is_held_and_fetched_anew_though_it_is_intact()
    {
        using var home = await Home.MakeAsync();
        var dry = await home.OnAsync("repair", "gannet-post", "--renew", "programs", "--dry-run");
        dry.Out.ShouldContain("download again, as requested  4 files");
        dry.Out.ShouldContain("untouched    16.7 MiB");
        (await home.OnAsync("repair", "gannet-post", "--renew", "engines", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("Name one of: maps, programs."));
        (await home.OnAsync("repair", "gannet-post", "--renew-files", "bin/x*", "--yes")).Code.ShouldBe(2);
        var answer = await home.OnAsync("repair", "gannet-post", "--renew", "programs", "--yes", "--json");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Json.GetProperty("sources")[0].GetProperty("bytes").GetInt64()
            .ShouldBe(((1800 + 96 + 410) * 1024) + new FileInfo(home.Scratch.At("mirror/gannet-post/1.4.2/bin/self-test")).Length);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(home.Scratch.Snapshot("mirror/gannet-post/1.4.2"));
        Directory.EnumerateFiles(home.Scratch.At("games/gannet-post/.mukta/kept"), "*", SearchOption.AllDirectories)
            .Count(p => p.Contains("/files/", StringComparison.Ordinal)).ShouldBe(4);
    }

    [Fact]
    public async Task Stop_ends_the_game_first()
    {
        using var game = await GameFolder.MakeAsync();
        Break(game);
        File.Copy("/bin/sleep", game.Scratch.At("game/maps/sleep"));
        using var running = Programs.Start(game.Scratch, game.Scratch.At("game/maps/sleep"), "600");
        (await game.RepairAsync("--from", "release", "--yes")).Code.ShouldBe(3);
        running.HasExited.ShouldBeFalse();
        (await game.RepairAsync("--from", "release", "--stop", "--yes")).Code.ShouldBe(0);
        running.WaitForExit(5000).ShouldBeTrue();
    }

    [Fact]
    public async Task Two_releases_are_compared_and_an_update_fetches_only_what_is_new()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.CopyTree("release", "newer");
        File.Delete(game.Scratch.At("newer/start"));
        File.CreateSymbolicLink(game.Scratch.At("newer/start"), "bin/game");
        File.CreateSymbolicLink(game.Scratch.At("newer/start-too"), "bin/game");
        game.Scratch.Flip("newer/maps/harbour.pak", 70_000);
        game.Scratch.Fill("newer/maps/lagoon.pak", 10_000, 9);
        File.Delete(game.Scratch.At("newer/sound/gulls bank"));
        (await game.MuktaAsync(
            "manifest", "make", "--yes", "newer", "--product", "gannet-post", "--release", "1.5.0", "--sequence", "42", "--piece-size", "64KiB",
            "--out", "newer.meta4")).Code.ShouldBe(0);
        var compared = await game.MuktaAsync("manifest", "compare", "game.meta4", "newer.meta4");
        compared.Code.ShouldBe(0, compared.Err);
        compared.Out.ShouldContain("1 file added, 1 changed, 1 removed");
        compared.Out.ShouldContain("An update downloads at most 73.8 KiB");
        game.Scratch.Write("game/saves/mine.sav", "mine");
        var updated = await game.MuktaAsync(
            "repair", "game", "--manifest", "newer.meta4", "--previous", "game.meta4", "--from", "newer", "--yes", "--json");
        updated.Code.ShouldBe(0, updated.Err);
        updated.Json.GetProperty("sources")[0].GetProperty("bytes").GetInt64().ShouldBe(65536 + 10_000);
        File.Exists(game.Scratch.At("game/sound/gulls bank")).ShouldBeFalse();
        File.ReadAllText(game.Scratch.At("game/saves/mine.sav")).ShouldBe("mine");
    }

    /// <summary>Breaks a sound install and repairs it from one mirror with faults.</summary>
    private static async Task OnceAsync(GameFolder game, string faults)
    {
        Directory.Delete(game.Scratch.At("game"), recursive: true);
        game.Scratch.CopyTree("sound", "game");
        File.Delete(game.Scratch.At("game/start"));
        File.CreateSymbolicLink(game.Scratch.At("game/start"), "bin/game");
        Break(game);
        var (before, good) = (game.Scratch.Snapshot("game"), game.Scratch.Snapshot("release"));
        using var mirror = await Mirror.StartAsync(game.Scratch, "release", faults);
        var answer = await game.RepairAsync("--from", mirror.Url, "--stall", "1", "--yes", "--quiet");
        (answer.Code is 0 or 4).ShouldBeTrue($"{answer.Code} with {faults}: {answer.Err}{answer.Out}");
        if (answer.Code == 0)
            game.ShouldBeWhole();
        foreach (var (path, now) in game.Scratch.Snapshot("game"))
        {
            (now == good.GetValueOrDefault(path) || now == before.GetValueOrDefault(path))
                .ShouldBeTrue($"{path} is the old one or the new one, with {faults}");
        }

        if (answer.Code == 4)
            (answer.Err + answer.Out).ShouldContain(answer.Err.Length > 0 ? mirror.Url : "Not intact");
    }

    private static void Break(GameFolder game)
    {
        game.Scratch.Zero("game/maps/harbour.pak", 60_000, 200_000);
        File.Delete(game.Scratch.At("game/bin/game"));
        game.Scratch.Truncate("game/maps/pier.pak", 70_000);
    }
}
