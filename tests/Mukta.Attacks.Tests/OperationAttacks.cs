using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>What happens to operations, to what they keep and to what they are about, between one command and the next.</summary>
internal static class OperationAttacks
{
    public static IEnumerable<Attack> Rows { get; } =
    [
        new("strays whose names are no UTF-8 are set aside and brought back", async scene =>
        {
            (await scene.ShellAsync("for n in 'a\\377b' '\\303\\050' 'x\\033y'; do printf stray > \"games/pier/$(printf \"$n\")\"; done"))
                .Code.ShouldBe(0);
            var before = await NamesAsync(scene);
            before.ShouldContain("ff", Case.Insensitive);
            (await scene.RepairAsync("--set-aside-strays")).Code.ShouldBe(0);
            (await NamesAsync(scene)).ShouldNotBe(before);
            (await UndoAsync(scene)).Code.ShouldBe(0);
            (await NamesAsync(scene)).ShouldBe(before);
        }),
        new("a file stands where the folder of a first install belongs", async scene =>
        {
            Directory.Delete(scene.Home.At("games"), recursive: true);
            scene.Home.Write("games", "in the way");
            var answer = await scene.RepairAsync();
            answer.Code.ShouldBe(3, answer.Out + answer.Err);
            answer.Err.ShouldContain(scene.Home.At("games"));
            File.ReadAllText(scene.Home.At("games")).ShouldBe("in the way");
        }),
        new("a purge was killed halfway and then all is undone", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            scene.Home.Flip("games/pier/sound/gulls.bank", 100);
            var damaged = scene.Home.Snapshot("games/pier");
            (await scene.RepairAsync()).Code.ShouldBe(0);
            var kept = Directory.EnumerateFiles(scene.Home.At("games/pier/.mukta/kept"), "*", SearchOption.AllDirectories)
                .Where(f => Path.GetFileName(f) != "journal").Order(StringComparer.Ordinal).ToList();
            kept.Count.ShouldBe(2);
            var (lost, journal) = (File.ReadAllBytes(kept[0]), Directory.EnumerateFiles(
                scene.Home.At("games/pier/.mukta/kept"), "journal", SearchOption.AllDirectories).Single());
            var lines = File.ReadAllLines(journal).Length;
            File.Delete(kept[0]);
            var undone = await UndoAsync(scene);
            undone.Code.ShouldBe(1, undone.Out + undone.Err);
            undone.Out.ShouldContain("not restored");
            undone.Out.ShouldNotContain("Restored.");
            File.ReadAllLines(journal).Length.ShouldBeGreaterThanOrEqualTo(lines, "the way back is not shortened");
            File.WriteAllBytes(kept[0], lost);
            var id = Path.GetFileName(Path.GetDirectoryName(journal)!);
            (await scene.MuktaAsync("undo", id, "--profiles", "profiles", "--yes")).Code.ShouldBe(0);
            scene.Home.Snapshot("games/pier").ShouldBe(damaged);
        }),
        new("the state is lost after a move to another disk, and the move is undone", async scene =>
        {
            using var disk = new Scratch(inMemory: true);
            var before = scene.Home.Snapshot("games/pier");
            (await scene.OnAsync("move", disk.At("pier"), "--yes")).Code.ShouldBe(0);
            Directory.Exists(scene.Home.At("games/pier")).ShouldBeFalse();
            foreach (var file in Directory.EnumerateFiles(scene.Home.At(".local/state/mukta"), "state.db*"))
                File.Delete(file);
            var undone = await UndoAsync(scene);
            undone.Code.ShouldBe(0, undone.Out + undone.Err);
            scene.Home.Snapshot("games/pier").ShouldBe(before);
            Directory.Exists(disk.At("pier")).ShouldBeFalse("there is one install");
        }),
        new("the vendor's remover writes into files before it takes them away", async scene =>
        {
            scene.Home.Write(
                "setup", "#!/bin/sh\nfor f in bin/game maps/* saves/*; do printf zzz > $f; done\nrm -rf maps saves\n"u8.ToArray(),
                Scratch.Program);
            await scene.WithSetupAsync(
                scene.Home.At("setup"), "install: {arguments: [install]}, remove: {arguments: [remove]}");
            scene.Home.Write("games/pier/saves/mine.sav", "mine");
            scene.Home.Flip("games/pier/sound/gulls.bank", 5);
            var before = scene.Home.Snapshot("games/pier");
            var removed = await scene.OnAsync("remove", "--yes");
            removed.Code.ShouldBe(0, removed.Out + removed.Err);
            var undone = await UndoAsync(scene);
            var after = scene.Home.Snapshot("games/pier");
            after["saves/mine.sav"].ShouldBe(before["saves/mine.sav"], "nobody could fetch it again");
            after["sound/gulls.bank"].ShouldBe(before["sound/gulls.bank"]);
            if (undone.Code == 1)
            {
                // Where files cannot share their bytes, published ones have a second name only.
                undone.Out.ShouldContain("maps/harbour.pak: the vendor's uninstall has written to it");
                undone.Out.ShouldContain("Next: mukta repair pier");
                (await scene.RepairAsync()).Code.ShouldBe(0);
                File.ReadAllText(scene.Home.At("games/pier/saves/mine.sav")).ShouldBe("mine");
                return;
            }

            undone.Code.ShouldBe(0, undone.Out + undone.Err);
            after.ShouldBe(before);
        }),
        new("files of an install are hard links to those of another that is repaired", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            scene.Home.Write("twin/maps/x", "");
            AttackScene.Run("ln", "-f", scene.Home.At("games/pier/maps/harbour.pak"), scene.Home.At("twin/maps/x"));
            var twin = scene.Home.Snapshot("twin");
            (await scene.RepairAsync()).Code.ShouldBe(0);
            scene.Home.Snapshot("twin").ShouldBe(twin);
            (await UndoAsync(scene)).Code.ShouldBe(0);
            scene.Home.Snapshot("twin").ShouldBe(twin);
        }),
        new("a save has a name in each of two places of user data, and a third is empty", async scene =>
        {
            scene.Home.Write("games/pier/saves/mine.sav", "mine");
            scene.Home.Write(".local/share/pier/logs/x", "");
            AttackScene.Run("ln", "-f", scene.Home.At("games/pier/saves/mine.sav"), scene.Home.At(".local/share/pier/logs/x"));
            Directory.CreateDirectory(scene.Home.At("games/pier/letters"));
            scene.Home.Write("profiles/pier.yaml", AttackScene.Profile(
                "user-data: [\"${install}/saves\", \"${install}/letters\", \"${data}/pier/logs\"]"));
            var answer = await scene.OnAsync("reinstall", "--yes", "--from", "release");
            answer.Code.ShouldBe(0, answer.Out + answer.Err);
            File.ReadAllText(scene.Home.At("games/pier/saves/mine.sav")).ShouldBe("mine");
            File.ReadAllText(scene.Home.At(".local/share/pier/logs/x")).ShouldBe("mine");
            Directory.Exists(scene.Home.At("games/pier/letters")).ShouldBeTrue();
        }),
        new("no file may be longer than so much", async scene =>
        {
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            var before = scene.Home.Snapshot("games/pier");
            var answer = await scene.ShellAsync(
                "trap '' XFSZ; ulimit -f 100; DOTNET_EnableWriteXorExecute=0 \"$MUKTA\" repair pier --profiles profiles --from release --yes");
            answer.Code.ShouldBe(3, answer.Out + answer.Err);
            scene.Home.Snapshot("games/pier").ShouldBe(before);
            (await scene.RepairAsync()).Code.ShouldBe(0);
        }),
        new("first runs come side by side", async scene =>
        {
            var answer = await scene.ShellAsync(
                "for i in 1 2 3 4 5 6 7 8; do \"$MUKTA\" installs add pier games/pier --profiles profiles --yes > /dev/null || echo \"code $?\" & done; wait");
            answer.Out.ShouldBeEmpty();
            answer.Err.ShouldBeEmpty();
        }),
        new("somebody writes to what is being built", async scene =>
        {
            for (var i = 0; i < 5; i++)
            {
                scene.Home.Flip("games/pier/maps/harbour.pak", 100 + (i * 30_000));
                scene.Home.Flip("games/pier/sound/gulls.bank", 5);
                var answer = await scene.ShellAsync(
                    "(while [ ! -e over ]; do for f in games/pier/.mukta/staging/*; do printf zzz > \"$f\"; done; done) 2> /dev/null & "
                    + "\"$MUKTA\" repair pier --profiles profiles --from release --yes; code=$?; touch over; wait; rm over; exit $code");
                if (answer.Code == 0)
                    scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"), answer.Out);
                else
                    answer.Out.ShouldNotContain("Intact: pier", Case.Sensitive, answer.Err);
                (await scene.RepairAsync()).Code.ShouldBe(0);
            }
        }),
    ];

    private static Task<Cli.Tests.Answer> UndoAsync(AttackScene scene) =>
        scene.MuktaAsync("undo", "--profiles", "profiles", "--yes");

    /// <summary>The names in the install as bytes.</summary>
    private static async Task<string> NamesAsync(AttackScene scene) =>
        (await scene.ShellAsync("cd games/pier && find . -name .mukta -prune -o -print0 | LC_ALL=C sort -z | od -An -tx1")).Out;
}
