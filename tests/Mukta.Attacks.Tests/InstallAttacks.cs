using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>The install has links, second names and oddities that lead outside or change while it is worked on.</summary>
internal static class InstallAttacks
{
    public static IEnumerable<Attack> Rows { get; } =
    [
        new("an intact file with a wrong mode is a second name of one outside", async scene =>
        {
            File.Delete(scene.Home.At("games/pier/bin/game"));
            File.Copy(scene.Home.At("release/bin/game"), Path.Join(scene.Outside, "program"), overwrite: true);
            File.SetUnixFileMode(Path.Join(scene.Outside, "program"), Scratch.Usual);
            scene.Remember();
            AttackScene.Run("ln", Path.Join(scene.Outside, "program"), scene.Home.At("games/pier/bin/game"));
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("an install is copied to where a first one was begun", async scene =>
        {
            Directory.Delete(scene.Home.At("games/pier"), recursive: true);
            scene.Home.Flip("release/maps/harbour.pak", 100);
            (await scene.RepairAsync()).Code.ShouldBe(4);
            scene.Home.Flip("release/maps/harbour.pak", 100);
            scene.Home.CopyTree("release", "games/pier");
            scene.Home.Write("games/pier/saves/mine.sav", "mine");
            var before = scene.Home.Snapshot("games/pier");
            var again = await scene.RepairAsync();
            again.Code.ShouldBe(3, again.Out + again.Err);
            again.Err.ShouldContain("mukta undo");
            scene.Home.Snapshot("games/pier").ShouldBe(before);
        }),
        new("the place of the install is a link into the system", async scene =>
        {
            var system = Directory.CreateDirectory($"/usr/lib/mukta-attack-{Guid.NewGuid():N}").FullName;
            try
            {
                File.WriteAllText(Path.Join(system, "canary"), "alive");
                Directory.Delete(scene.Home.At("games/pier"), recursive: true);
                scene.Link("games/pier", system);
                scene.GiveToUser();
                foreach (var command in new[] { "repair", "reinstall", "remove", "check --offline", "verify", "installs", "reset" })
                    await scene.OnAsync(command, command is "check --offline" or "verify" or "installs" ? [] : ["--yes"]);
                await scene.RepairAsync();
                Directory.EnumerateFileSystemEntries(system).Select(Path.GetFileName).ShouldBe(["canary"]);
            }
            finally
            {
                Directory.Delete(system, recursive: true);
            }
        }),
        new("a damaged file is a second name of one outside", async scene =>
        {
            AttackScene.Run("ln", "-f", Path.Join(scene.Outside, "canary"), scene.Home.At("games/pier/maps/harbour.pak"));
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
            (await scene.MuktaAsync("undo", "--profiles", "profiles", "--yes")).Code.ShouldBe(0);
        }),
        new("two damaged files are one", async scene =>
        {
            scene.Home.Write("release/maps/pier.pak", File.ReadAllBytes(scene.Home.At("release/maps/harbour.pak")));
            scene.Home.Flip("release/maps/pier.pak", 100);
            (await scene.MuktaAsync(
                "manifest", "make", "release", "--product", "pier", "--release", "1.0", "--piece-size", "64KiB", "--out", "two.meta4"))
                .Code.ShouldBe(0);
            AttackScene.Run("ln", scene.Home.At("games/pier/maps/harbour.pak"), scene.Home.At("games/pier/maps/pier.pak"));
            scene.Home.Flip("games/pier/maps/harbour.pak", 150_000);
            (await scene.MuktaAsync("repair", "games/pier", "--manifest", "two.meta4", "--from", "release", "--yes")).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("a folder of the install is a link to one outside", async scene =>
        {
            Directory.Delete(scene.Home.At("games/pier/maps"), recursive: true);
            scene.Link("games/pier/maps", scene.Outside);
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("a file of the install is a link to one outside", async scene =>
        {
            File.Delete(scene.Home.At("games/pier/maps/harbour.pak"));
            scene.Link("games/pier/maps/harbour.pak", Path.Join(scene.Outside, "canary"));
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
        new("a file of the install is a pipe", async scene =>
        {
            File.Delete(scene.Home.At("games/pier/maps/harbour.pak"));
            scene.Pipe("games/pier/maps/harbour.pak");
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
    ];
}
