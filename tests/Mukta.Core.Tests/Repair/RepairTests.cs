using CsCheck;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair;
using Mukta.Tests;
using Mukta.Verification;

namespace Mukta.Core.Tests.Repair;

public sealed class RepairTests
{
    private static readonly string[] Harms = ["none", "delete", "flip", "zero", "truncate", "lengthen", "mode", "recase", "folder", "link"];

    private static readonly Gen<(int Size, string Harm, int Where)[]> AnyTree =
        Gen.Select(Gen.Int[0, 5 * Install.PieceLength], Gen.Int[0, Harms.Length - 1].Select(i => Harms[i]), Gen.Int[0, 1 << 30])
        .Array[1, 9];

    [Fact]
    public void Whatever_is_broken_is_whole_afterwards_and_nothing_more_was_fetched_than_the_plan_said() => AnyTree.Sample(
        files =>
        {
            using var install = new Install();
            for (var i = 0; i < files.Length; i++)
                install.Scratch.Fill($"release/d{i % 3}/file-{i}", files[i].Size, i, i % 2 == 0 ? Scratch.Usual : Scratch.Program);
            install.Publish();
            install.Scratch.CopyTree("release", "install");
            for (var i = 0; i < files.Length; i++)
                Break(install.Scratch, $"install/d{i % 3}/file-{i}", files[i].Size, files[i].Harm, files[i].Where);
            install.Scratch.Write("install/saves/mine.sav", "the player's");

            var expected = install.Verify().BytesToFetch;
            var outcome = install.RepairAsync(holdStrays: false).GetAwaiter().GetResult();

            outcome.Code.ShouldBe(ExitCode.Done);
            outcome.Sources.Sum(s => s.Bytes).ShouldBe(expected);
            var after = install.Scratch.Snapshot("install");
            after.Remove("saves/mine.sav").ShouldBeTrue();
            after.Remove("saves");
            after.ShouldBe(install.Scratch.Snapshot("release"));
            Directory.Exists(install.Scratch.At("install/.mukta/staging")).ShouldBeFalse();
        },
        iter: 60);

    [Fact]
    public async Task What_is_replaced_is_held_byte_for_byte()
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/maps/harbour.pak", 5000);
        var broken = await File.ReadAllBytesAsync(install.Scratch.At("install/maps/harbour.pak"), TestContext.Current.CancellationToken);
        var outcome = await install.RepairAsync(holdStrays: false);
        (await File.ReadAllBytesAsync(install.Kept(outcome, "maps/harbour.pak"), TestContext.Current.CancellationToken)).ShouldBe(broken);
        var record = await File.ReadAllLinesAsync(
            install.Scratch.At("install", outcome.KeptAt!, "journal"), TestContext.Current.CancellationToken);
        record[0].ShouldContain("\"format\":\"mukta.operation/2\"");
        record.Single(l => l.Contains("replaced", StringComparison.Ordinal))
            .ShouldContain("""{"change":"replaced","path":"maps/harbour.pak",""");
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public async Task What_does_not_read_back_as_it_was_written_is_not_put_in_place(bool areMany)
    {
        using var install = new Install(inMemory: !areMany); // Only a disk is flushed as a whole.
        for (var i = 0; i < (areMany ? 20 : 1); i++)
            install.Scratch.Fill($"release/file-{i}", 2 * Install.PieceLength, i);
        install.Publish();
        Directory.CreateDirectory(install.Root);
        string? spoilt = null;
        void Spoil()
        {
            spoilt = Directory.EnumerateFiles(install.Scratch.At("install/.mukta/staging")).First();
            install.Scratch.Flip(Path.GetRelativePath(install.Scratch.Root, spoilt), 5_000);
        }

        RepairOutcome outcome;
        var kind = areMany ? DiskChangeKind.FlushAll : DiskChangeKind.FlushFile;
        using (new Meanwhile(c => c.Kind == kind && (areMany || c.Path.Contains("/staging/", StringComparison.Ordinal)), Spoil).Watching())
            outcome = await install.RepairAsync(holdStrays: false);
        spoilt.ShouldNotBeNull();
        outcome.Failures.ShouldHaveSingleItem().Reason.ShouldContain("does not read back");
        File.Exists(install.Scratch.At("install", outcome.Failures[0].Path)).ShouldBeFalse();
        (await install.RepairAsync(holdStrays: false)).Code.ShouldBe(ExitCode.Done);
        install.Verify().IsIntact.ShouldBeTrue();
    }

    [Fact]
    public async Task What_a_run_could_not_write_is_fetched_again_by_the_next_one_though_it_is_still_right_in_memory()
    {
        using var install = new Install(inMemory: true);
        install.Scratch.Fill("release/file", 2 * Install.PieceLength, 1);
        install.Publish();
        Directory.CreateDirectory(install.Root);
        using (new FailingFlush(() => { }).Watching())
            (await install.RepairAsync(holdStrays: false)).Failures.ShouldHaveSingleItem();
        void Drop() => install.Scratch.Flip(
            Path.GetRelativePath(
                install.Scratch.Root, Directory.EnumerateFiles(install.Scratch.At("install/.mukta/staging")).ShouldHaveSingleItem()), 5_000);
        using (new FailingFlush(Drop).Watching())
            (await install.RepairAsync(holdStrays: false)).Code.ShouldBe(ExitCode.Done);
        install.Verify().IsIntact.ShouldBeTrue();
    }

    /// <summary>The first flush of a file that is being built fails, and what was in memory only is lost by that.</summary>
    private sealed class FailingFlush(Action drop) : DiskWatch
    {
        private bool hasFailed;

        public override void Before(DiskChange change)
        {
            if (hasFailed || change.Kind != DiskChangeKind.FlushFile || !change.Path.Contains("/staging/", StringComparison.Ordinal))
                return;
            hasFailed = true;
            drop();
            throw new DiskException(DiskException.InputOutput, "flush", change.Path);
        }
    }

    [Fact]
    public async Task Strays_stay_unless_they_are_to_be_held()
    {
        using var install = Install.Usual();
        install.Scratch.Write("install/crash.dump", "dump");
        (await install.RepairAsync(holdStrays: false)).Plan.IsEmpty.ShouldBeTrue();
        File.Exists(install.Scratch.At("install/crash.dump")).ShouldBeTrue();
        var outcome = await install.RepairAsync(holdStrays: true);
        File.Exists(install.Scratch.At("install/crash.dump")).ShouldBeFalse();
        (await File.ReadAllTextAsync(install.Kept(outcome, "crash.dump"), TestContext.Current.CancellationToken)).ShouldBe("dump");
    }

    [Fact]
    public async Task A_source_that_lies_never_gets_a_byte_into_the_install()
    {
        using var install = Install.Usual();
        install.Scratch.CopyTree("release", "liar");
        install.Scratch.Flip("liar/maps/harbour.pak", 5000);
        install.Scratch.Flip("install/maps/harbour.pak", 5001);
        var before = install.Scratch.Snapshot("install");
        using var liar = new FolderSource(Folder.Open(install.Scratch.At("liar")));
        var outcome = await install.RepairAsync(false, liar);
        outcome.Code.ShouldBe(ExitCode.NoSource);
        outcome.Sources.ShouldHaveSingleItem().BadPieces.ShouldBeGreaterThan(0);
        install.Scratch.Snapshot("install").ShouldBe(before);
    }

    [Theory]
    [InlineData("another takes its name")]
    [InlineData("it is written to")]
    public async Task A_file_that_is_changed_after_it_was_proven_is_not_taken_for_repaired(string how)
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/maps/pier.pak", 5);
        var staging = install.Scratch.At("install/.mukta/staging");
        using var swapping = new Meanwhile(
            c => c is { Kind: DiskChangeKind.FlushFile } && c.Path.EndsWith("/journal", StringComparison.Ordinal)
                && Directory.Exists(staging) && Directory.EnumerateFiles(staging).Any(),
            () =>
            {
                var proven = Directory.EnumerateFiles(staging).Single();
                var zeros = new byte[new FileInfo(proven).Length];
                if (how.StartsWith("another", StringComparison.Ordinal))
                {
                    File.WriteAllBytes(install.Scratch.At("zeros"), zeros);
                    File.Move(install.Scratch.At("zeros"), proven, overwrite: true);
                }
                else
                {
                    using var file = File.OpenHandle(proven, FileMode.Open, FileAccess.Write);
                    RandomAccess.Write(file, zeros, 0);
                }
            }).Watching();
        var outcome = await install.RepairAsync(false);
        outcome.Code.ShouldBe(ExitCode.Blocked);
        outcome.Failures.ShouldHaveSingleItem().Reason.ShouldContain("Something else changed the new file");
        outcome.After.IsIntact.ShouldBeFalse();
        (await install.RepairAsync(false)).Code.ShouldBe(ExitCode.Done);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task A_file_that_was_changed_before_it_was_its_turn_is_not_put_in_its_place()
    {
        using var install = Install.Usual();
        Directory.Delete(install.Scratch.At("install/maps"), recursive: true);
        var staging = install.Scratch.At("install/.mukta/staging");
        // Their folder is made once both are proven, and before either is looked at again.
        using var swapping = new Meanwhile(
            c => c is { Kind: DiskChangeKind.FlushFile } && c.Path.EndsWith("/journal", StringComparison.Ordinal)
                && Directory.Exists(staging) && Directory.EnumerateFiles(staging).Count() == 2,
            () =>
            {
                foreach (var proven in Directory.EnumerateFiles(staging))
                    File.WriteAllBytes(proven, new byte[new FileInfo(proven).Length]);
            }).Watching();
        var outcome = await install.RepairAsync(false);
        outcome.Failures.Count.ShouldBe(2);
        Directory.EnumerateFiles(install.Scratch.At("install/maps")).ShouldBeEmpty();
        (await install.RepairAsync(false)).Code.ShouldBe(ExitCode.Done);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
    }

    [Theory]
    [InlineData(0)]
    [InlineData(150_000)]
    [InlineData(299_999)]
    public async Task A_lie_anywhere_in_a_piece_that_is_longer_than_a_buffer_is_noticed(int at)
    {
        using var install = new Install();
        install.Scratch.Fill("release/maps/long.pak", 300_000, 7);
        install.Publish(pieceLength: 1 << 20);
        install.Scratch.CopyTree("release", "liar");
        install.Scratch.Flip("liar/maps/long.pak", at);
        Directory.CreateDirectory(install.Root);
        using var liar = new FolderSource(Folder.Open(install.Scratch.At("liar")));
        (await install.RepairAsync(false, liar)).Code.ShouldBe(ExitCode.NoSource);
        using var honest = new FolderSource(Folder.Open(install.Scratch.At("release")));
        (await install.RepairAsync(false, liar, honest)).Code.ShouldBe(ExitCode.Done);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
    }

    [Theory]
    [InlineData("top")]
    [InlineData("one/file")]
    [InlineData("one/two/three/file")]
    public async Task A_missing_file_comes_back_wherever_it_belongs(string path)
    {
        using var install = Install.Usual();
        install.Scratch.Fill($"release/{path}", 3 * Install.PieceLength, 8, Scratch.Program);
        install.Publish();
        (await install.RepairAsync(holdStrays: false)).Code.ShouldBe(ExitCode.Done);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
    }

    [Fact]
    public async Task The_next_source_makes_up_for_one_that_lies()
    {
        using var install = Install.Usual();
        install.Scratch.CopyTree("release", "liar");
        install.Scratch.Flip("liar/maps/harbour.pak", 5000);
        File.Delete(install.Scratch.At("install/maps/harbour.pak"));
        using var liar = new FolderSource(Folder.Open(install.Scratch.At("liar")));
        using var honest = new FolderSource(Folder.Open(install.Scratch.At("release")));
        var outcome = await install.RepairAsync(false, liar, honest);
        outcome.Code.ShouldBe(ExitCode.Done);
        outcome.Sources.Select(s => s.Bytes).ShouldBe([7 * Install.PieceLength, Install.PieceLength]);
    }

    [Fact]
    public async Task Without_a_source_that_answers_nothing_is_touched()
    {
        using var install = Install.Usual();
        File.Delete(install.Scratch.At("install/maps/harbour.pak"));
        File.SetUnixFileMode(install.Scratch.At("install/bin/game"), Scratch.Usual);
        var before = install.Scratch.Snapshot("install", withOwnFolder: true);
        Directory.CreateDirectory(install.Scratch.At("empty"));
        using var empty = new FolderSource(Folder.Open(install.Scratch.At("empty")));
        (await Should.ThrowAsync<MuktaException>(() => install.RepairAsync(false, empty))).Code.ShouldBe(ExitCode.NoSource);
        install.Scratch.Snapshot("install", withOwnFolder: true).ShouldBe(before);
    }

    [Fact]
    public async Task A_file_that_changed_since_it_was_verified_is_left_alone()
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/maps/harbour.pak", 5000);
        var before = install.Verify();
        install.Scratch.Write("install/maps/harbour.pak", "somebody else wrote this");
        using var folder = Folder.Open(install.Root);
        using var release = new FolderSource(Folder.Open(install.Scratch.At("release")));
        var outcome = await new Repairer(TimeProvider.System, Serilog.Core.Logger.None, Guards.Nobody)
            .RepairAsync(new PreparedRepair(
            before, RepairPlan.For(before, new RepairWish()), null), folder, [release], null, TestContext.Current.CancellationToken);
        outcome.Code.ShouldBe(ExitCode.Blocked);
        (await File.ReadAllTextAsync(install.Scratch.At("install/maps/harbour.pak"), TestContext.Current.CancellationToken))
            .ShouldBe("somebody else wrote this");
    }

    [Fact]
    public async Task New_files_have_the_owner_and_group_of_the_folder_they_are_in()
    {
        Assert.SkipUnless(Environment.UserName == "root", "Only root can give files away.");
        using var install = Install.Usual();
        File.Delete(install.Scratch.At("install/maps/harbour.pak"));
        install.Scratch.Flip("install/maps/pier.pak", 1);
        using (var chown = System.Diagnostics.Process.Start("chown", ["-R", "1234:2345", install.Root]))
            await chown.WaitForExitAsync(TestContext.Current.CancellationToken);
        await install.RepairAsync(holdStrays: false);
        using var folder = Folder.Open(install.Root);
        foreach (var path in new[] { "maps/harbour.pak", "maps/pier.pak", ".mukta", ".mukta/kept" })
            (folder.Look(path)!.Value.User, folder.Look(path)!.Value.Group).ShouldBe((1234u, 2345u), path);
    }

    [Fact]
    public async Task A_second_run_on_the_same_install_is_kept_off()
    {
        using var install = Install.Usual();
        install.Scratch.Flip("install/maps/harbour.pak", 5000);
        using var folder = Folder.Open(install.Root);
        using (InstallLock.Take(folder, TimeProvider.System))
        {
            var failure = await Should.ThrowAsync<MuktaException>(() => install.RepairAsync(holdStrays: false));
            failure.Code.ShouldBe(ExitCode.Blocked);
            failure.Where.ShouldContain($"process {Environment.ProcessId}, since");
        }

        (await install.RepairAsync(holdStrays: false)).Code.ShouldBe(ExitCode.Done);
    }

    [Fact]
    public async Task A_link_in_the_place_of_the_maps_folder_is_held_and_what_it_led_to_is_untouched()
    {
        using var install = Install.Usual();
        Directory.Move(install.Scratch.At("install/maps"), install.Scratch.At("elsewhere"));
        install.Scratch.Flip("elsewhere/harbour.pak", 1);
        Directory.CreateSymbolicLink(install.Scratch.At("install/maps"), install.Scratch.At("elsewhere"));
        var elsewhere = install.Scratch.Snapshot("elsewhere");
        var outcome = await install.RepairAsync(holdStrays: false);
        outcome.Code.ShouldBe(ExitCode.Done);
        install.Scratch.Snapshot("elsewhere").ShouldBe(elsewhere);
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"));
        new FileInfo(install.Kept(outcome, "maps")).LinkTarget.ShouldBe(install.Scratch.At("elsewhere"));
    }

    [Fact]
    public void A_plan_for_a_healthy_install_is_empty()
    {
        using var install = Install.Usual();
        RepairPlan.For(install.Verify(), new RepairWish { HoldStrays = true }).IsEmpty.ShouldBeTrue();
    }

    [Fact]
    public void What_cannot_be_read_is_left_open_and_said()
    {
        var result = new VerifyResult
        {
            Manifest = new Manifest { Files = [] },
            Findings = [new Unreadable("a", "I/O error")],
            BytesRead = 0,
            Elapsed = default,
            ModesCompared = true,
            BytesGood = 0,
        };
        var plan = RepairPlan.For(result, new RepairWish { HoldStrays = true });
        plan.IsEmpty.ShouldBeTrue();
        plan.LeftOpen.ShouldHaveSingleItem().Path.ShouldBe("a");
    }

    private static void Break(Scratch disk, string path, int size, string harm, int where)
    {
        var full = disk.At(path);
        switch (harm)
        {
            case "delete":
                File.Delete(full);
                break;
            case "flip" when size > 0:
                disk.Flip(path, where % size);
                break;
            case "zero" when size > 0:
                disk.Zero(path, where % size, size - where % size);
                break;
            case "truncate":
                disk.Truncate(path, where % (size + 1));
                break;
            case "lengthen":
                File.AppendAllText(full, "surplus");
                break;
            case "mode":
                File.SetUnixFileMode(full, UnixFileMode.UserRead);
                break;
            case "recase":
                File.Move(full, Path.Join(Path.GetDirectoryName(full), "FILE" + Path.GetFileName(full)[4..]));
                break;
            case "folder":
                File.Delete(full);
                Directory.CreateDirectory(full);
                File.WriteAllText(Path.Join(full, "inside"), "x");
                break;
            case "link":
                File.Delete(full);
                File.CreateSymbolicLink(full, "/etc/hostname");
                break;
            default:
                break;
        }
    }
}
