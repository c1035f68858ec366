using System.Security.Cryptography;
using CsCheck;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Repair;
using Mukta.Repair.Local;

namespace Mukta.Core.Tests.Fetching;

public class LocalPiecesTests
{
    [Fact]
    public async Task What_is_elsewhere_on_this_machine_is_not_fetched()
    {
        using var install = Install.Usual();
        File.Move(install.Scratch.At("install/maps/harbour.pak"), install.Scratch.At("install/maps/harbour (copy).pak"));
        File.Delete(install.Scratch.At("install/maps/pier.pak"));
        Directory.CreateDirectory(install.Scratch.At("stick/old"));
        File.Copy(install.Scratch.At("release/maps/pier.pak"), install.Scratch.At("stick/old/x"));
        install.Scratch.Flip("stick/old/x", 5);
        var outcome = await install.RepairAsync(places: new LocalPlaces([install.Scratch.At("stick")], []));
        outcome.Code.ShouldBe(ExitCode.Done);
        outcome.BytesElsewhere.ShouldBe(
            (8 * Install.PieceLength) + (2 * Install.PieceLength) + 17,
            "all of the renamed file, and all pieces of the other but the bad one");
        outcome.Sources.Sum(s => s.Bytes).ShouldBe(Install.PieceLength);
        outcome.Plan.BytesToFetch.ShouldBe(Install.PieceLength);
    }

    [Fact]
    public async Task An_older_release_in_another_install_and_what_an_operation_holds_are_taken_first()
    {
        using var install = Install.Usual();
        install.Scratch.CopyTree("install", "other");
        File.Delete(install.Scratch.At("install/maps/harbour.pak"));
        (await install.RepairAsync(places: new LocalPlaces([], [install.Scratch.At("other")])))
            .BytesElsewhere.ShouldBe(8 * Install.PieceLength);

        install.Scratch.Fill("release/maps/harbour.pak", 8 * Install.PieceLength, 99);
        var old = install.Manifest;
        install.Publish();
        await install.RepairAsync(holdStrays: false);
        install.Manifest = old; // Back to the older release: its pieces are held.
        install.Scratch.CopyTree("other", "older-release");
        using var release = new FolderSource(Folder.Open(install.Scratch.At("older-release")));
        var back = await install.RepairAsync(null, LocalPlaces.None, false, release);
        (back.BytesElsewhere, back.Sources.Sum(s => s.Bytes), back.Code).ShouldBe((8L * Install.PieceLength, 0L, ExitCode.Done));
    }

    [Fact]
    public async Task An_update_holds_what_only_the_older_release_lists_and_leaves_the_players_files()
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/sound/gulls.bank", 5);
        await install.RepairAsync(holdStrays: false);
        install.Scratch.Write("install/saves/mine", "mine");
        File.Delete(install.Scratch.At("release/maps/pier.pak"));
        install.Scratch.Flip("release/maps/harbour.pak", 5);
        install.Publish("1.1");
        Manifest older;
        using (var folder = Folder.Open(install.Root))
            older = InstalledRelease.Before(folder, install.Manifest)!;
        var comparison = ManifestComparison.Of(older, install.Manifest);
        (comparison.Added.Count, comparison.Changed.Count, comparison.Removed.Count, comparison.BytesToFetch)
            .ShouldBe((0, 1, 1, Install.PieceLength));
        var outcome = await install.RepairAsync(holdStrays: false);
        outcome.Sources.Sum(s => s.Bytes).ShouldBe(Install.PieceLength);
        File.Exists(install.Scratch.At("install/maps/pier.pak")).ShouldBeFalse();
        File.ReadAllText(install.Scratch.At("install/saves/mine")).ShouldBe("mine");
        File.Exists(install.Kept(outcome, "maps/pier.pak")).ShouldBeTrue();
        using (var folder = Folder.Open(install.Root))
            InstalledRelease.Before(folder, install.Manifest).ShouldBeNull("it is the one that is there now");
    }

    [Fact]
    public async Task A_fresh_file_is_fetched_whole_whatever_its_state_and_the_old_one_is_held()
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/maps/pier.pak", 5);
        var before = install.Verify();
        var plan = RepairPlan.For(before, new RepairWish { Renew = f => f.Path == "bin/game" });
        plan.Puts.Select(p => (p.Path, p.IsFresh, p.BytesToFetch))
            .ShouldBe([("bin/game", true, 9000), ("maps/pier.pak", false, Install.PieceLength)], ignoreOrder: true);
        using var folder = Folder.Open(install.Root);
        using var release = new FolderSource(Folder.Open(install.Scratch.At("release")));
        var outcome = await new Repairer(TimeProvider.System, Serilog.Core.Logger.None, Guards.Nobody)
            .RepairAsync(new PreparedRepair(before, plan, null), folder, [release], null, TestContext.Current.CancellationToken);
        outcome.Sources.Sum(s => s.Bytes).ShouldBe(9000 + Install.PieceLength);
        File.Exists(install.Kept(outcome, "bin/game")).ShouldBeTrue();
        outcome.Code.ShouldBe(ExitCode.Done);
    }

    [Fact]
    public void Files_that_cannot_be_what_is_needed_are_not_read()
    {
        using var install = new Install();
        for (var i = 0; i < 60; i++)
            install.Scratch.Fill($"release/d/odd-{i}", 1001 + i, i);
        for (var i = 0; i < 60; i++)
            install.Scratch.Fill($"release/d/two-pieces-{i}", 2001 + i, i);
        install.Publish();
        var files = install.Manifest.Files.Select((f, i) => f.PieceCount == 1 && f.Size > 2000 ? InPieces(install, f, 1001 + i) : f);
        install.Manifest = install.Manifest with { Files = [.. files] };
        Directory.CreateDirectory(install.Root);
        install.Scratch.Fill("stick/unrelated", 50 << 20, 500);
        install.Scratch.Fill("stick/odd", 1030, 29);
        using var folder = Folder.Open(install.Root);
        var meter = new WorkMeter();
        using var plan = PreparedRepair.Of(
            install.Verify(), folder, new RepairWish(),
            new PieceSearch { Places = new LocalPlaces([install.Scratch.At("stick")], []), Meter = meter },
            TestContext.Current.CancellationToken);
        plan.Plan.BytesElsewhere.ShouldBe(1030);
        meter.BytesDone.ShouldBeLessThan((50L << 20) + (257L << 20), "once what was named, and a bound for all that is read again");
    }

    private static ManifestFile InPieces(Install install, ManifestFile file, int length)
    {
        var bytes = File.ReadAllBytes(install.Scratch.At("release", file.Path));
        return file with { Pieces = new PieceList(HashKind.Sha256, length, [.. bytes.Chunk(length).SelectMany(SHA256.HashData)]) };
    }

    [Fact]
    public void Only_what_exists_nowhere_is_fetched() => Gen.Select(Gen.Int[0, 3].Array[1, 6], Gen.Int[0, 1 << 20]).Sample(
        (fates, seed) =>
        {
            using var install = new Install(inMemory: true);
            for (var i = 0; i < fates.Length; i++)
                install.Scratch.Fill($"release/d/file-{i}", 3 * Install.PieceLength, seed + i);
            install.Publish();
            install.Scratch.CopyTree("release", "install");
            var expected = 0L;
            for (var i = 0; i < fates.Length; i++)
            {
                var path = install.Scratch.At($"install/d/file-{i}");
                if (fates[i] == 1)
                    File.Move(path, path + ".moved");
                if (fates[i] == 2)
                    install.Scratch.Flip($"install/d/file-{i}", 5);
                if (fates[i] == 3)
                    File.Delete(path);
                expected += fates[i] switch { 2 => Install.PieceLength, 3 => 3 * Install.PieceLength, _ => 0 };
            }

            var outcome = install.RepairAsync(places: LocalPlaces.None).GetAwaiter().GetResult();
            outcome.Sources.Sum(s => s.Bytes).ShouldBe(expected);
            outcome.Plan.BytesToFetch.ShouldBe(expected);
            outcome.Code.ShouldBe(ExitCode.Done);
        },
        iter: 40);
}
