using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Products by their profiles: in a home of their own, with the scenario's installs in it.</summary>
public class ProductTests
{
    [Fact]
    public async Task A_repair_opens_the_manifest_once_and_each_profile_once_and_a_quick_verification_of_an_untouched_install_no_manifest()
    {
        Assert.SkipUnless(File.Exists("/usr/bin/strace"), "strace is not installed.");
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        var profiles = Directory.EnumerateFiles(home.Scratch.At("profiles")).Select(p => Path.GetFileName(p)!).ToDictionary(p => p, _ => 1);
        var (repaired, opened) = await home.CountingOpensAsync(
            [".yaml", ".meta4"], "repair", "gannet-post", "--profiles", "profiles", "--yes");
        repaired.Code.ShouldBe(0, repaired.Err);
        opened.ShouldBe(new Dictionary<string, int>(profiles) { ["gannet-post.meta4"] = 1 }, ignoreOrder: true);

        var (verified, quickly) = await QuicklyAsync();
        for (var until = DateTime.UtcNow.AddSeconds(20); quickly.ContainsKey("gannet-post.meta4") && DateTime.UtcNow < until;)
            (verified, quickly) = await QuicklyAsync(); // What was changed a moment ago is not trusted yet.
        verified.Code.ShouldBe(0, verified.Err);
        verified.Out.ShouldContain("Intact");
        quickly.ShouldBe(profiles, ignoreOrder: true);

        Task<(Answer Answer, IReadOnlyDictionary<string, int> Opened)> QuicklyAsync() => home.CountingOpensAsync(
            [".yaml", ".meta4"], "verify", "gannet-post", "--profiles", "profiles", "--quick");
    }

    [Fact]
    public async Task A_product_is_located_verified_and_repaired_by_its_id_alone()
    {
        using var game = await WithProfileAsync("${home}/game");
        File.Delete(game.Scratch.At("game/bin/game"));
        var located = await AtHomeAsync(game, "installs", "--profiles", "profiles");
        located.Code.ShouldBe(0, located.Err);
        located.Out.ShouldContain("1.4.2: 4 of 5 names and sizes, 1.2 MiB, without bin/game");
        located.Out.ShouldContain("Next: mukta verify gannet-post --profiles profiles");
        var verified = await AtHomeAsync(game, "verify", "gannet-post", "--profiles", "profiles");
        verified.Code.ShouldBe(1);
        (await AtHomeAsync(game, "stop", "gannet-post", "--profiles", "profiles")).Out.ShouldBe("No process uses it.\n");
        verified.Out.ShouldContain("Next: mukta repair gannet-post --profiles profiles --from 'URL|DIR'");
        (await AtHomeAsync(game, "repair", "gannet-post", "--profiles", "profiles", "--from", "release", "--yes")).Code.ShouldBe(0);
        game.ShouldBeWhole();
        var document = (await AtHomeAsync(game, "installs", "gannet-post", "--profiles", "profiles", "--json")).Json;
        document.GetProperty("format").GetString().ShouldBe("mukta.installs/1");
        document.GetProperty("products")[0].GetProperty("installs")[0].GetProperty("filesPresent").GetInt32().ShouldBe(5);
    }

    [Fact]
    public async Task An_install_is_taken_back_only_to_the_release_that_is_named()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.CopyTree("mirror/gannet-post/1.4.2", "mirror/gannet-post/1.5.0");
        home.Scratch.Fill("mirror/gannet-post/1.5.0/maps/new.pak", 70_000, 9);
        foreach (var (release, sequence) in new[] { ("1.4.2", "41"), ("1.5.0", "42") })
        {
            (await home.MuktaAsync(
                "manifest", "make", $"mirror/gannet-post/{release}", "--product", "gannet-post", "--release", release, "--sequence", sequence,
                "--out", $"{release}.meta4", "--base-url", $"{home.MirrorUrl}/gannet-post/{release}")).Code.ShouldBe(0);
        }

        (await home.OnAsync("repair", "gannet-post", "-y", "--manifest", "1.5.0.meta4")).Code.ShouldBe(0);
        File.Copy(home.Scratch.At("1.4.2.meta4"), home.Scratch.At("gannet-post.meta4"), overwrite: true);
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        var before = home.Scratch.Snapshot("games/gannet-post");
        (await home.OnAsync("check", "gannet-post", "--offline")).Out
            .ShouldContain("brought it to gannet-post 1.5.0 (release 42), which is newer than its manifest");
        var verified = await home.OnAsync("verify", "gannet-post", "--json");
        (verified.Code, verified.Json.GetProperty("newerInstalled").GetProperty("sequence").GetInt64()).ShouldBe((1, 42));
        (await home.OnAsync("verify", "gannet-post")).Out.ShouldNotContain("Next: mukta repair");
        var refused = await home.OnAsync("repair", "gannet-post", "-y");
        refused.Code.ShouldBe(5);
        refused.Err.ShouldContain("The install is newer than the manifest: gannet-post 1.5.0 (release 42) instead of gannet-post 1.4.2 (release 41).");
        refused.Err.ShouldContain("mukta repair gannet-post --profiles profiles --release 1.4.2");
        (await home.OnAsync("repair", "gannet-post", "-y", "--release", "1.4.1")).Code.ShouldBe(2);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(before);
        (await home.OnAsync("repair", "gannet-post", "-y", "--release", "1.4.2")).Code.ShouldBe(0);
        File.Exists(home.Scratch.At("games/gannet-post/maps/new.pak")).ShouldBeFalse();
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task Of_several_installs_none_is_guessed()
    {
        using var game = await WithProfileAsync("${home}/game*");
        game.Scratch.CopyTree("release", "game-two");
        var refused = await AtHomeAsync(game, "verify", "gannet-post", "--profiles", "profiles");
        refused.Code.ShouldBe(2);
        refused.Err.ShouldContain(game.Scratch.At("game-two"));
        refused.Err.ShouldContain("--install");
        (await AtHomeAsync(game, "verify", "gannet-post", "--profiles", "profiles", "--install", "game")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task No_install_is_said_with_the_places_that_were_looked_at()
    {
        using var game = await WithProfileAsync("${home}/nowhere");
        (await AtHomeAsync(game, "installs", "--profiles", "profiles")).Code.ShouldBe(1);
        var answer = await AtHomeAsync(game, "verify", "gannet-post", "--profiles", "profiles");
        answer.Code.ShouldBe(2);
        answer.Err.ShouldContain("${home}/nowhere");
    }

    [Fact]
    public async Task The_examples_are_good_profiles_and_a_slip_is_told_with_its_place()
    {
        using var scratch = new Scratch();
        (await Programs.RunAsync(scratch, Programs.StandIns, "scenario", scratch.Root)).Code.ShouldBe(0);
        var profiles = Directory.GetFiles(scratch.At("profiles")).Order().ToArray();
        profiles.Length.ShouldBe(4);
        (await Programs.MuktaAsync(scratch, ["profile", "check", .. profiles])).Out.Split('\n')
            .Count(l => l.StartsWith("ok", StringComparison.Ordinal)).ShouldBe(4);
        (await Programs.MuktaAsync(scratch, "profile", "show", "--profiles", "profiles"))
            .Out.ShouldContain("tidewarden.service, enabled and active");

        scratch.Write("slip.yaml", File.ReadAllText(profiles[0]).Replace("user-data:", "userdata:", StringComparison.Ordinal));
        var slip = await Programs.MuktaAsync(scratch, "profile", "check", "slip.yaml");
        slip.Code.ShouldBe(2);
        slip.Err.ShouldContain("did you mean \"user-data\"?");
        slip.Err.ShouldContain("slip.yaml, line ");
    }

    private static Task<Answer> AtHomeAsync(GameFolder game, params string[] arguments) =>
        Programs.RunAsync(game.Scratch, "env", ["-u", "XDG_CONFIG_HOME", $"HOME={game.Scratch.Root}", Programs.Mukta, .. arguments]);

    private static async Task<GameFolder> WithProfileAsync(string place)
    {
        var game = await GameFolder.MakeAsync();
        game.Scratch.Write("profiles/pier.yaml", $$"""
            format: mukta.profile/1
            product: gannet-post
            title: Pier
            kind: game
            installs:
              places: ["{{place}}"]
              marker: bin/game
            manifest:
              file: ../game.meta4
            """);
        return game;
    }
}
