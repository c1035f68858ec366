using System.Text;
using Mukta.Cli.Tests;
using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>What a new user types, and what the machine does on its own.</summary>
internal static class FirstUseAttacks
{
    public static IEnumerable<Attack> Rows { get; } =
    [
        Refused("a folder that is not there is to be searched for pieces", "repair pier --from release --also nowhere --yes", 2),
        Refused("a product's id has a space", "manifest make release --out new.meta4 --product 'A B'", 2),
        Refused("a manifest would be overwritten", "manifest make release --out profiles/pier.meta4 --product pier", 2),
        new("two profiles are bad", async scene =>
        {
            scene.Home.Write("profiles/a.yaml", "]");
            scene.Home.Write("profiles/b.yaml", "format: [");
            var answer = await scene.ShellAsync("\"$MUKTA\" profile check profiles/*.yaml");
            answer.Code.ShouldBe(2);
            answer.Err.ShouldContain("a.yaml");
            answer.Err.ShouldContain("b.yaml");
            answer.Out.ShouldContain("ok  profiles/pier.yaml");
        }),
        new("root drafts a profile into a folder that its user has made a link", async scene =>
        {
            scene.Link(".config/mukta/profiles", Path.Join(scene.Outside, "folder"));
            scene.GiveToUser();
            (await scene.MuktaAsync("profile", "draft", "quay", "--install", "games/pier")).Code.ShouldBe(3);
            File.Delete(scene.Home.At(".config/mukta/profiles"));
            (await scene.MuktaAsync("profile", "draft", "quay", "--install", "games/pier")).Code.ShouldBe(0);
            var owner = await scene.ShellAsync("stat -c %u .config/mukta/profiles .config/mukta/profiles/quay.yaml");
            owner.Out.ShouldBe($"{AttackScene.User}\n{AttackScene.User}\n");
        }),
        new("a setup script in an install is read for a draft and not run", async scene =>
        {
            scene.Home.Write(
                "games/pier/bin/setup", Encoding.UTF8.GetBytes($"#!/bin/sh\n# setup install|remove\ntouch {scene.Outside}/changed\n"),
                Scratch.Program);
            var draft = await scene.MuktaAsync("profile", "draft", "quay", "--install", "games/pier", "--out", "-");
            draft.Code.ShouldBe(0, draft.Err);
            draft.Out.ShouldContain("program: bin/setup");
        }),
        new("texts that a draft reads take no time to match", async scene =>
        {
            var numbers = string.Concat(Enumerable.Repeat("10 ", 20_000));
            scene.Home.Write("games/pier/bin/setup", Encoding.UTF8.GetBytes($"#!/bin/sh\n{numbers}"), Scratch.Program);
            scene.Home.Write(".config/quay/a.conf", string.Concat(Enumerable.Repeat("http://", 9_000)));
            scene.Home.Write(".config/quay/b.conf", numbers);
            (await scene.MuktaAsync("profile", "draft", "quay", "--install", "games/pier", "--out", "-")).Code.ShouldBe(0);
        }),
        new("the game runs while it is verified", async scene =>
        {
            File.Copy("/bin/sleep", scene.Home.At("games/pier/bin/game"), overwrite: true);
            var answer = await scene.ShellAsync("""
                games/pier/bin/game 60 > game.log 2>&1 &
                until readlink "/proc/$!/exe" | grep -q bin/game; do :; done
                "$MUKTA" verify pier --profiles profiles; code=$?
                kill "$!"; exit "$code"
                """);
            answer.Code.ShouldBe(1, answer.Err);
            answer.Out.ShouldContain("Next: mukta stop pier --profiles profiles");
        }),
        new("an install has lost its marker", async scene =>
        {
            scene.Home.Write("profiles/pier.yaml", AttackScene.Profile("caches: [{name: pages, places: [\"${install}/pages\"]}]")
                .Replace("installs: {places", "installs: {marker: bin/marker, places", StringComparison.Ordinal));
            scene.Home.Write("games/pier/pages/one", "1");
            (await scene.OnAsync("caches")).Out.ShouldContain(scene.Home.At("games/pier/pages"));
            (await scene.OnAsync("caches clear", "--yes")).Code.ShouldBe(0);
            File.Exists(scene.Home.At("games/pier/pages/one")).ShouldBeFalse();
        }),
        new("a cache whose clearing signs the player out is full", async scene =>
        {
            scene.Home.Write("profiles/pier.yaml", AttackScene.Profile(
                "caches: [{name: sign-in, places: [\"${cache}/pier/session\"], clear: by-name}]"));
            scene.Home.Write(".cache/pier/session/token", "secret");
            foreach (var command in new[] { "check --offline", "caches" })
                (await scene.OnAsync(command)).Out.ShouldNotContain("Next: mukta caches");
            await scene.OnAsync("caches clear", "--yes");
            File.Exists(scene.Home.At(".cache/pier/session/token")).ShouldBeTrue();
        }),
        new("the mirrors are known and --offline is given", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            (await scene.MuktaAsync(
                "manifest", "make", "release", "--product", "pier", "--release", "1.0", "--base-url", "http://127.0.0.1:9/", "--out",
                "profiles/pier.meta4", "--yes")).Code.ShouldBe(0);
            var answer = await scene.OnAsync("repair", "--offline", "--yes");
            answer.Code.ShouldBe(4, answer.Out);
            answer.Err.ShouldContain("The mirrors are on the network");
        }),
        new("the disk of another machine is repaired, and the way back is taken", async scene =>
        {
            Directory.CreateDirectory(scene.Home.At("disk/home/anna"));
            Directory.Move(scene.Home.At("games"), scene.Home.At("disk/games"));
            scene.Home.Write(
                "profiles/pier.yaml", AttackScene.Profile().Replace("${home}/games/pier", "/games/pier", StringComparison.Ordinal));
            scene.Home.Flip("disk/games/pier/maps/harbour.pak", 100);
            var before = scene.Home.Snapshot("disk/games/pier");
            var answer = await scene.RepairAsync("--root", "disk");
            answer.Code.ShouldBe(0, answer.Err);
            var undo = answer.Out.Split('\n').Single(l => l.StartsWith("Undo: mukta ", StringComparison.Ordinal))["Undo: mukta ".Length..];
            (await scene.MuktaAsync([.. undo.Split(' '), "--yes"])).Code.ShouldBe(0, undo);
            scene.Home.Snapshot("disk/games/pier").ShouldBe(before);
        }),
        new("the clock was set back between two repairs", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            (await scene.RepairAsync()).Code.ShouldBe(0);
            var changed = 0;
            Journals.Rewrite(scene.Home.At("games/pier/.mukta/kept"), line =>
            {
                var later = line.Replace(
                    $"\"started\":\"{DateTime.UtcNow.Year}", $"\"started\":\"{DateTime.UtcNow.Year + 9}", StringComparison.Ordinal);
                changed += later == line ? 0 : 1;
                return later;
            });
            changed.ShouldBe(1);
            scene.Home.Flip("games/pier/sound/gulls.bank", 5);
            var damaged = scene.Home.Snapshot("games/pier");
            (await scene.RepairAsync()).Code.ShouldBe(0);
            (await scene.MuktaAsync("undo", "--profiles", "profiles", "--yes")).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(damaged);
        }),
    ];

    private static Attack Refused(string name, string line, int code) => new(name, async scene =>
    {
        var before = scene.Home.Snapshot("profiles");
        var answer = await scene.ShellAsync($"MUKTA_PROFILES=profiles \"$MUKTA\" {line}");
        answer.Code.ShouldBe(code, answer.Out + answer.Err);
        scene.Home.Snapshot("profiles").ShouldBe(before);
    });
}
