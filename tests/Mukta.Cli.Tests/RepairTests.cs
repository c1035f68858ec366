using System.Diagnostics;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

public class RepairTests
{
    [Fact]
    public async Task Everything_broken_is_whole_again_and_the_players_files_stay()
    {
        using var game = await VerifyTests.BrokenAsync();
        using var mirror = await Mirror.StartAsync(game.Scratch, "release");
        var answer = await game.RepairAsync("--from", mirror.Url, "--yes");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldContain("Intact: gannet-post 1.4.2 (release 41) in game");
        File.ReadAllText(game.Scratch.At("game/saves/mine.sav")).ShouldBe("mine");
        Directory.Delete(game.Scratch.At("game/saves"), recursive: true);
        game.ShouldBeWhole();
        Mirror.BodyBytes(mirror.End()).ShouldBe(3 * GameFolder.PieceLength);
    }

    [Fact]
    public async Task A_damaged_piece_costs_a_piece()
    {
        using var game = await GameFolder.MakeAsync();
        using var mirror = await Mirror.StartAsync(game.Scratch, "release");
        var random = new Random(7);
        var pieces = Enumerable.Range(0, 16).OrderBy(_ => random.Next()).Take(5).ToList();
        foreach (var piece in pieces)
            game.Scratch.Flip("game/maps/harbour.pak", piece * GameFolder.PieceLength + random.Next(GameFolder.PieceLength));
        (await game.RepairAsync("--from", mirror.Url, "--yes")).Code.ShouldBe(0);
        game.ShouldBeWhole();
        var requests = mirror.End();
        Mirror.BodyBytes(requests).ShouldBe(pieces.Count * GameFolder.PieceLength);
        requests.Where(r => r.GetProperty("method").GetString() == "GET").ShouldAllBe(r => r.GetProperty("status").GetInt32() == 206);
    }

    [Fact]
    public async Task The_mirrors_that_the_manifest_lists_are_used_without_being_named()
    {
        using var scratch = new Scratch();
        Directory.CreateDirectory(scratch.At("served"));
        using var mirror = await Mirror.StartAsync(scratch, "served");
        using var game = await GameFolder.MakeAsync("--base-url", mirror.Url + "/some%20place");
        game.Scratch.CopyTree("release", "copy");
        Directory.Move(game.Scratch.At("copy"), scratch.At("served/some place"));
        File.Delete(game.Scratch.At("game/sound/gulls bank"));
        (await game.RepairAsync("--yes")).Code.ShouldBe(0);
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task A_dry_run_shows_the_plan_and_changes_nothing()
    {
        using var game = await VerifyTests.BrokenAsync();
        var before = game.Scratch.Snapshot("game", withOwnFolder: true);
        var answer = await game.RepairAsync("--from", "release", "--dry-run");
        answer.Code.ShouldBe(0);
        answer.Out.ShouldContain("maps/harbour.pak  192.0 KiB of 1.0 MiB");
        answer.Out.ShouldContain("download     192.0 KiB from release");
        answer.Out.ShouldContain("untouched    387.4 KiB and 1 stray");
        answer.Out.ShouldContain("Nothing was changed");
        game.Scratch.Snapshot("game", withOwnFolder: true).ShouldBe(before);
        var plan = (await game.RepairAsync("--from", "release", "--dry-run", "--json")).Json.GetProperty("plan");
        plan.GetProperty("steps").EnumerateArray().Select(s => s.GetProperty("act").GetString())
            .ShouldBe(["fix-mode", "fix-case", "set-aside-obstacle", "put-link", "put-file", "put-file"]);
    }

    [Fact]
    public async Task Without_a_terminal_and_without_yes_it_refuses()
    {
        using var game = await VerifyTests.BrokenAsync();
        var before = game.Scratch.Snapshot("game", withOwnFolder: true);
        var answer = await game.RepairAsync("--from", "release");
        answer.Code.ShouldBe(2);
        answer.Out.ShouldContain("Plan for gannet-post");
        answer.Err.ShouldContain("Add --yes");
        game.Scratch.Snapshot("game", withOwnFolder: true).ShouldBe(before);
    }

    [Fact]
    public async Task Nothing_to_repair_needs_no_yes_and_leaves_no_trace()
    {
        using var game = await GameFolder.MakeAsync();
        var answer = await game.RepairAsync();
        answer.Code.ShouldBe(0);
        answer.Out.ShouldContain("Nothing to repair.");
        Directory.Exists(game.Scratch.At("game/.mukta")).ShouldBeFalse();
    }

    [Fact]
    public async Task The_document_tells_the_whole_operation()
    {
        using var game = await VerifyTests.BrokenAsync();
        var answer = await game.RepairAsync("--from", "release", "--yes", "--json", "--set-aside-strays");
        answer.Code.ShouldBe(0, answer.Err);
        var document = answer.Json;
        document.GetProperty("format").GetString().ShouldBe("mukta.repair/1");
        document.GetProperty("stepsDone").GetInt32().ShouldBe(document.GetProperty("plan").GetProperty("steps").GetArrayLength());
        document.GetProperty("after").GetProperty("verdict").GetString().ShouldBe("intact");
        var held = game.Scratch.At("game", document.GetProperty("keptAt").GetString()!);
        Directory.EnumerateFiles(Path.Join(held, "files")).Select(File.ReadAllText).ShouldContain("mine");
        Directory.EnumerateFiles(Path.Join(held, "files"), "two", SearchOption.AllDirectories).Select(File.ReadAllText).ShouldBe(["2"]);
    }

    [Theory]
    [InlineData("-Sn", "a limit that it may raise")]
    [InlineData("-n", "one that it has to keep to")]
    public async Task Many_small_files_are_put_in_place_where_few_may_be_open(string limit, string why)
    {
        using var scratch = new Scratch();
        for (var i = 0; i < 600; i++)
            scratch.Write($"release/{i % 90}/{i}", $"file {i}");
        Directory.CreateDirectory(scratch.At("game"));
        (await Programs.MuktaAsync(scratch, "manifest", "make", "release", "--product", "many", "--out", "many.meta4")).Code.ShouldBe(0);
        var answer = await Programs.RunAsync(
            scratch, "bash", "-c",
            $"ulimit {limit} 300; exec '{Programs.Mukta}' repair game --manifest many.meta4 --from release --yes");
        answer.Code.ShouldBe(0, $"{why}: {answer.Err}");
        scratch.Snapshot("game").ShouldBe(scratch.Snapshot("release"));
    }

    [Theory]
    [InlineData("an overloaded mirror", """[{"kind":"status","status":503,"retryAfter":0,"from":2,"to":3}]""")]
    [InlineData("a connection that is cut", """[{"kind":"cut","bytes":70000,"path":"maps/*","from":2,"to":3}]""")]
    [InlineData("a flipped bit", """[{"kind":"flip","bytes":100,"path":"maps/*","from":2,"to":2}]""")]
    [InlineData("a slow answer", """[{"kind":"delay","milliseconds":300}]""")]
    [InlineData("a mirror that ignores ranges", """[{"kind":"ignore-range"}]""")]
    [InlineData(
        "all of it",
        """[{"kind":"ignore-range","from":4,"to":5},{"kind":"cut","bytes":300000,"from":5,"to":5},{"kind":"flip","bytes":5,"from":3,"to":3},{"kind":"status","status":500,"from":2,"to":2}]""")]
    public async Task A_mirror_on_a_bad_day_still_delivers(string day, string faults)
    {
        using var game = await VerifyTests.BrokenAsync();
        File.Delete(game.Scratch.At("game/bin/game"));
        using var mirror = await Mirror.StartAsync(game.Scratch, "release", faults);
        var answer = await game.RepairAsync("--from", mirror.Url, "--yes", "--set-aside-strays");
        answer.Code.ShouldBe(0, $"{day}: {answer.Out}{answer.Err}");
        Directory.Delete(game.Scratch.At("game/saves"));
        game.ShouldBeWhole();
        if (day == "a mirror that ignores ranges")
        {
            mirror.End().Count(r => r.GetProperty("bodyBytes").GetInt64() == 16 * GameFolder.PieceLength)
                .ShouldBe(1, "one whole body serves every piece of a file");
        }
    }

    [Theory]
    [InlineData("wrong bytes", """[{"kind":"flip","bytes":100,"path":"maps/*"}]""", "not the published ones")]
    [InlineData("cut bodies", """[{"kind":"cut","bytes":100,"path":"maps/*"}]""", "broke off")]
    [InlineData("longer ranges than asked for", """[{"kind":"other-range","bytes":100,"path":"maps/*"}]""", "another range")]
    [InlineData("shorter ranges than asked for", """[{"kind":"other-range","bytes":-100,"path":"maps/*"}]""", "another range")]
    [InlineData("a login page", """[{"kind":"html","path":"maps/*","from":2}]""", "another file there")]
    [InlineData("a refusal", """[{"kind":"status","status":403,"path":"maps/*","from":2}]""", "answers 403")]
    public async Task A_mirror_that_never_gets_it_right_harms_nothing_and_is_named(string what, string faults, string reason)
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Flip("game/maps/harbour.pak", 5);
        game.Scratch.Flip("game/sound/gulls bank", 5);
        using var mirror = await Mirror.StartAsync(game.Scratch, "release", faults);
        var before = game.Scratch.Snapshot("game");
        var answer = await game.RepairAsync("--from", mirror.Url, "--yes");
        answer.Code.ShouldBe(4, what);
        answer.Out.ShouldContain($"maps/harbour.pak: {mirror.Url} ");
        answer.Out.ShouldContain(reason);
        var after = game.Scratch.Snapshot("game");
        after["maps/harbour.pak"].ShouldBe(before["maps/harbour.pak"]);
        after["sound/gulls bank"].ShouldBe(game.Scratch.Snapshot("release")["sound/gulls bank"], "the other file is repaired all the same");

        (await game.RepairAsync("--from", mirror.Url, "--from", "release", "--yes"))
            .Code.ShouldBe(0, "the second source makes up for the first");
        game.ShouldBeWhole();
    }

    [Fact]
    public async Task A_dead_mirror_stops_it_before_anything_is_touched()
    {
        using var game = await VerifyTests.BrokenAsync();
        var before = game.Scratch.Snapshot("game", withOwnFolder: true);
        var answer = await game.RepairAsync("--from", "http://127.0.0.1:9/", "--yes");
        answer.Code.ShouldBe(4);
        answer.Err.ShouldContain("http://127.0.0.1:9/ does not answer");
        game.Scratch.Snapshot("game", withOwnFolder: true).ShouldBe(before);
    }

    [Fact]
    public async Task Without_the_network_it_is_said_that_mirrors_are_known_and_not_asked()
    {
        using var home = await Home.MakeAsync();
        File.Delete(home.Scratch.At("games/gannet-post/maps/pier.pak"));
        var dry = await home.OnAsync("repair", "gannet-post", "--offline", "--dry-run");
        dry.Out.ShouldContain("but its mirrors are on the network, which --offline leaves out");
        var refused = await home.OnAsync("repair", "gannet-post", "--offline", "--yes");
        refused.Code.ShouldBe(4);
        refused.Err.ShouldContain("The mirrors are on the network, and --offline leaves the network out, so nothing was changed.");
        var first = await home.OnAsync("reinstall", "gannet-post", "--scope", "with-needs", "--offline", "--yes");
        first.Code.ShouldBe(4, "not even for what it needs");
    }

    [Fact]
    public async Task On_a_mounted_disk_the_undo_that_is_said_works()
    {
        using var home = await Home.MakeAsync();
        foreach (var part in new[] { "games", ".local" })
            home.Scratch.CopyTree(part, "disk/home/anna/" + part);
        File.Delete(home.Scratch.At("disk/home/anna/games/gannet-post/maps/pier.pak"));
        var repaired = await home.MuktaWithAsync(
            [$"HOME={home.Scratch.At("nobody")}"], "repair", "gannet-post", "--profiles", "profiles", "--root", "disk", "--yes");
        repaired.Code.ShouldBe(0, repaired.Err);
        var undo = repaired.Out.Split("Undo: mukta ")[1].Trim().Split(' ');
        var undone = await home.MuktaWithAsync([$"HOME={home.Scratch.At("nobody")}"], [.. undo, "--yes"]);
        undone.Code.ShouldBe(0, undone.Err);
        File.Exists(home.Scratch.At("disk/home/anna/games/gannet-post/maps/pier.pak")).ShouldBeFalse();
    }

    [Fact]
    public async Task An_interrupted_repair_keeps_what_has_arrived_and_the_same_command_goes_on()
    {
        using var game = await GameFolder.MakeAsync();
        File.Delete(game.Scratch.At("game/maps/harbour.pak"));
        using var slow = await Mirror.StartAsync(game.Scratch, "release", """[{"kind":"stall","bytes":700000,"path":"maps/*","from":2}]""");
        using var process = Programs.Start(
            game.Scratch, "env", "--default-signal=INT", Programs.Mukta, "repair", "game", "--manifest", "game.meta4", "--from", slow.Url,
            "--stall", "600", "--yes");
        while (!HasArrived(game.Scratch.At("game/.mukta/staging"), 10 * GameFolder.PieceLength))
            await Task.Delay(20, TestContext.Current.CancellationToken);
        (await Programs.MuktaAsync(game.Scratch, "stop", "game")).Out
            .ShouldBe("No process uses it.\n", "a run of mukta is not the game");
        var second = await game.RepairAsync("--from", "release", "--yes");
        (second.Code, second.Err).ShouldSatisfyAllConditions(
            s => s.Code.ShouldBe(3), s => s.Err.ShouldContain("Another run of mukta is working on this install."));
        (await game.MuktaAsync("undo", "--in", "game", "--dry-run")).Out
            .ShouldSatisfyAllConditions(o => o.ShouldContain(", running"), o => o.ShouldNotContain("interrupted"));
        (await game.VerifyAsync()).Out.ShouldContain(" is running.\nWait until it has finished");
        using (var interrupt = Process.Start("kill", ["-INT", $"{process.Id}"]))
            await interrupt.WaitForExitAsync(TestContext.Current.CancellationToken);
        var answer = await Programs.EndAsync(process);
        answer.Code.ShouldBe(130, answer.Err);
        answer.Err.ShouldContain("Run the same command again");
        File.Exists(game.Scratch.At("game/maps/harbour.pak")).ShouldBeFalse("a file at its final path is always whole");
        (await game.VerifyAsync()).Out.ShouldContain(
            " has not ended.\nRun the same command again to finish it, or go back with: mukta undo ");

        using var mirror = await Mirror.StartAsync(game.Scratch, "release");
        var plan = (await game.RepairAsync("--from", mirror.Url, "--dry-run", "--json")).Json.GetProperty("plan");
        (plan.GetProperty("bytesToFetch").GetInt64(), plan.GetProperty("bytesElsewhere").GetInt64())
            .ShouldBe((6 * GameFolder.PieceLength, 10 * GameFolder.PieceLength));
        (await game.RepairAsync("--from", mirror.Url, "--yes")).Code.ShouldBe(0);
        game.ShouldBeWhole();
        Mirror.BodyBytes(mirror.End()).ShouldBe(6 * GameFolder.PieceLength, "ten of sixteen pieces had arrived");
    }

    private static bool HasArrived(string staging, int bytes) =>
        Directory.Exists(staging) && Directory.GetFiles(staging) is [var staged]
        && File.ReadAllBytes(staged) is var content && content.Length >= bytes && !content.AsSpan(0, bytes).Contains((byte)0);

    [Fact]
    public async Task A_full_disk_is_said_before_anything_is_touched()
    {
        Assert.SkipUnless(Environment.UserName == "root", "Only root can mount a small disk.");
        using var game = await GameFolder.MakeAsync();
        Directory.CreateDirectory(game.Scratch.At("small"));
        (await Programs.RunAsync(game.Scratch, "mount", "-t", "tmpfs", "-o", "size=3m", "tmpfs", game.Scratch.At("small")))
            .Code.ShouldBe(0);
        try
        {
            var before = game.Scratch.Snapshot("small", withOwnFolder: true);
            var answer = await game.MuktaAsync("repair", "small", "--manifest", "game.meta4", "--from", "release", "--yes");
            answer.Code.ShouldBe(3);
            answer.Err.ShouldContain(" free; the repair needs up to ");
            answer.Err.ShouldContain("Make room");
            before.ShouldBe(game.Scratch.Snapshot("small"));
        }
        finally
        {
            await Programs.RunAsync(game.Scratch, "umount", game.Scratch.At("small"));
        }
    }

    [Fact]
    public async Task A_folder_that_may_not_be_written_is_said_with_what_to_do()
    {
        Need.Program("setpriv");
        using var game = await VerifyTests.BrokenAsync();
        File.SetUnixFileMode(game.Scratch.Root, Scratch.Program);
        File.SetUnixFileMode(game.Scratch.At("game/bin/game"), Scratch.Usual);
        var answer = await Programs.RunAsync(
            game.Scratch, "setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", Programs.Mukta, "repair", "game", "--manifest",
            "game.meta4", "--from", "release", "--yes");
        answer.Code.ShouldBe(3, answer.Err);
        answer.Err.ShouldContain("Permission denied");
        answer.Err.ShouldContain("sudo");
    }
}
