using Mukta.Tests;

namespace Mukta.Cli.Tests;

public class VerifyTests
{
    [Fact]
    public async Task A_healthy_install_is_intact_and_the_answer_is_0()
    {
        using var game = await GameFolder.MakeAsync();
        var answer = await game.VerifyAsync();
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldStartWith("Intact: gannet-post 1.4.2 (release 41) in game\n5 files, 1.4 MiB read in ");
        answer.Err.ShouldBe("The manifest's signature was not checked: no certificate was named with --trust.\n");
    }

    [Fact]
    public async Task Every_state_is_told_with_its_evidence_and_the_next_command()
    {
        using var game = await BrokenAsync();
        var answer = await game.VerifyAsync();
        answer.Code.ShouldBe(1);
        var lines = answer.Out.Split('\n').Select(l => System.Text.RegularExpressions.Regex.Replace(l, " {2,}", "  ")).ToList();
        lines[0].ShouldBe("Not intact: gannet-post 1.4.2 (release 41) in game");
        lines.Skip(2).ShouldBe(
        [
            "",
            "  missing  1 file  0 bytes to download", "  start  link to bin/game", "",
            "  damaged  1 file  3 bad pieces, 192.0 KiB to download", "  maps/harbour.pak  pieces 3, 15-16 of 16, zeros from byte 950,000", "",
            "  miscased  1 file", "  maps/pier.pak  found as Maps/pier.PAK", "",
            "  wrong-kind  1 file  0 bytes to download", "  sound/empty.bank  a folder with 2 files, where a file belongs", "",
            "  wrong-mode  1 file", "  bin/game  0600, should be 0755", "",
            "  stray  1 file  4 bytes, left alone", "  saves/mine.sav  4 bytes", "",
            "A repair would download 192.0 KiB and leave 1.2 MiB as it is.",
            "Next: mukta repair game --manifest game.meta4 --from 'URL|DIR'", "",
        ]);
    }

    [Fact]
    public async Task The_document_says_the_same()
    {
        using var game = await BrokenAsync();
        var document = (await game.VerifyAsync("--json")).Json;
        document.GetProperty("format").GetString().ShouldBe("mukta.verify/1");
        document.GetProperty("verdict").GetString().ShouldBe("not-intact");
        document.GetProperty("bytesToFetch").GetInt64().ShouldBe(3 * GameFolder.PieceLength);
        document.GetProperty("counts").EnumerateObject().ToDictionary(c => c.Name, c => c.Value.GetInt32())
            .ShouldBe(new Dictionary<string, int>
            {
                ["intact"] = 1,
                ["missing"] = 1,
                ["damaged"] = 1,
                ["miscased"] = 1,
                ["wrong-kind"] = 1,
                ["wrong-mode"] = 1,
                ["unreadable"] = 0,
                ["stray"] = 1,
            });
        var damaged = document.GetProperty("findings").EnumerateArray().Single(f => f.GetProperty("state").GetString() == "damaged");
        damaged.GetProperty("pieces").GetProperty("bad")[1].EnumerateObject().Select(m => (m.Name, m.Value.GetInt64()))
            .ShouldBe([("first", 15), ("last", 16), ("offset", 917_504), ("length", 131_072), ("zerosFrom", 950_000)]);
    }

    [Fact]
    public async Task Strays_count_only_when_asked_for()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Write("game/saves/mine.sav", "mine");
        (await game.VerifyAsync()).Code.ShouldBe(0);
        var strict = await game.VerifyAsync("--strict");
        strict.Code.ShouldBe(1);
        strict.Out.ShouldContain("Next: mukta repair game --manifest game.meta4 --set-aside-strays");
    }

    [Fact]
    public async Task What_cannot_be_read_is_unreadable_and_not_intact()
    {
        Need.Program("setpriv");
        using var game = await GameFolder.MakeAsync();
        File.SetUnixFileMode(game.Scratch.At("game/maps/pier.pak"), UnixFileMode.None);
        File.SetUnixFileMode(game.Scratch.At("game/sound"), UnixFileMode.None);
        File.SetUnixFileMode(game.Scratch.Root, Scratch.Program);
        var answer = await Programs.RunAsync(
            game.Scratch, "setpriv", "--reuid=65534", "--regid=65534", "--clear-groups", Programs.Mukta, "verify", "game", "--manifest",
            "game.meta4");
        File.SetUnixFileMode(game.Scratch.At("game/sound"), Scratch.Program);
        answer.Code.ShouldBe(1, answer.Err);
        answer.Out.ShouldContain("unreadable  3 files");
        answer.Out.ShouldContain("maps/pier.pak     Permission denied");
        answer.Out.ShouldContain("Next: sudo mukta verify game --manifest game.meta4");
    }

    [Fact]
    public async Task It_agrees_with_sha256sum_on_the_same_tree()
    {
        using var game = await GameFolder.MakeAsync();
        var manifest = (await game.MuktaAsync("manifest", "show", "game.meta4", "--json")).Json;
        var list = manifest.GetProperty("files").EnumerateArray()
            .Select(f => $"{f.GetProperty("hashes").GetProperty("sha-256").GetString()}  {f.GetProperty("path").GetString()}\n");
        game.Scratch.Write("list.sha256", string.Concat(list));
        async Task<bool> Sha256SumAsync() =>
            (await Programs.RunAsync(game.Scratch, "sh", "-c", "cd game && sha256sum --check --status ../list.sha256")).Code == 0;
        (await Sha256SumAsync()).ShouldBeTrue();
        (await game.VerifyAsync()).Code.ShouldBe(0);
        game.Scratch.Flip("game/maps/harbour.pak", 777_777);
        (await Sha256SumAsync()).ShouldBeFalse();
        (await game.VerifyAsync()).Code.ShouldBe(1);
    }

    [Fact]
    public async Task The_quick_way_says_what_it_trusts_and_since_when_and_a_repair_is_trusted_too()
    {
        using var game = await BrokenAsync();
        (await game.VerifyAsync("--quick")).Code.ShouldBe(1);
        (await game.RepairAsync("--from", "release", "--yes", "--set-aside-strays")).Code.ShouldBe(0);
        await Task.Delay(2100, TestContext.Current.CancellationToken); // What was written a moment ago is read once more.
        (await game.VerifyAsync("--quick")).Code.ShouldBe(0);
        var quick = await game.VerifyAsync("--quick", "--json");
        quick.Code.ShouldBe(0, quick.Err);
        (quick.Json.GetProperty("bytesRead").GetInt64(), quick.Json.GetProperty("filesTrusted").GetInt32()).ShouldBe((0L, 5));
        quick.Json.GetProperty("trustedSince").GetDateTimeOffset().ShouldBeGreaterThan(DateTimeOffset.UtcNow.AddHours(-1));
        quick.Json.GetProperty("counts").GetProperty("intact").GetInt32().ShouldBe(6);
        var text = await game.VerifyAsync("--quick");
        text.Out.ShouldContain("5 files: 0 bytes read in");
        text.Out.ShouldContain(" unchanged since 2");
        game.Scratch.Flip("game/maps/pier.pak", 7);
        (await game.VerifyAsync("--quick")).Out.ShouldContain("maps/pier.pak");
    }

    [Fact]
    public async Task Verbose_says_how_it_hashes()
    {
        using var game = await GameFolder.MakeAsync();
        (await game.VerifyAsync("--verbose")).Err.ShouldContain("hashed with ");
    }

    [Fact]
    public async Task It_changes_nothing()
    {
        using var game = await BrokenAsync();
        var before = game.Scratch.Snapshot("game", withOwnFolder: true);
        await game.VerifyAsync();
        game.Scratch.Snapshot("game", withOwnFolder: true).ShouldBe(before);
    }

    [Fact]
    public async Task A_hostile_name_on_disk_cannot_command_the_terminal()
    {
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Write("game/\u001b[2Jgone\nIntact", "x");
        (await game.VerifyAsync()).Out.ShouldContain("\\x1b[2Jgone\\x0aIntact");
    }

    [Fact]
    public async Task A_long_list_is_cut_and_all_shows_it()
    {
        using var game = await GameFolder.MakeAsync();
        for (var i = 0; i < 30; i++)
            game.Scratch.Write($"game/saves/{i:00}.sav", "x");
        (await game.VerifyAsync()).Out.ShouldContain("... and 20 more; --all lists them");
        (await game.VerifyAsync("--all")).Out.ShouldContain("saves/29.sav");
        (await game.VerifyAsync("--quiet")).Out.Split('\n').Length.ShouldBe(2);
    }

    [Fact]
    public async Task A_pipe_gets_no_colour_and_a_closed_one_no_complaint()
    {
        using var game = await BrokenAsync();
        var whole = await game.VerifyAsync();
        whole.Out.ShouldNotContain('\u001b');
        var cut = await Programs.RunAsync(
            game.Scratch, "bash", "-c", $"'{Programs.Mukta}' verify game --manifest game.meta4 | head -1; echo ${{PIPESTATUS[0]}}");
        cut.Err.ShouldBe(whole.Err);
        cut.Out.Split('\n')[1].ShouldBeOneOf("0", "1");
    }

    internal static async Task<GameFolder> BrokenAsync(params string[] extra)
    {
        var game = await GameFolder.MakeAsync(extra);
        game.Scratch.Flip("game/maps/harbour.pak", 2 * GameFolder.PieceLength);
        game.Scratch.Zero("game/maps/harbour.pak", 950_000, 16 * GameFolder.PieceLength - 950_000);
        Directory.CreateDirectory(game.Scratch.At("game/Maps"));
        File.Move(game.Scratch.At("game/maps/pier.pak"), game.Scratch.At("game/Maps/pier.PAK"));
        File.Delete(game.Scratch.At("game/sound/empty.bank"));
        game.Scratch.Write("game/sound/empty.bank/one", "1");
        game.Scratch.Write("game/sound/empty.bank/two", "2");
        File.SetUnixFileMode(game.Scratch.At("game/bin/game"), UnixFileMode.UserRead | UnixFileMode.UserWrite);
        File.Delete(game.Scratch.At("game/start"));
        game.Scratch.Write("game/saves/mine.sav", "mine");
        return game;
    }
}
