using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>
/// Disks that are full, out of inodes or read-only, each a small file system of its own in a mount namespace; and a kernel that lacks a call.
/// </summary>
public class DiskTests
{
    [Fact]
    public async Task A_disk_that_fills_up_in_the_middle_loses_nothing_and_the_same_repair_goes_on_once_there_is_room()
    {
        using var game = await MakeAsync();
        var answer = await OnDiskAsync(game, "size=40M", """
            (sleep 0.2; head -c 50M /dev/zero > disk/ballast 2> /dev/null) &
            mukta repair disk/game --manifest game.meta4 --from URL --yes > first.out 2> first.err; echo "first $?"
            wait; cp -r --preserve=all disk/game kept
            rm -f disk/ballast
            mukta repair disk/game --manifest game.meta4 --from URL --yes > second.out 2> second.err; echo "second $?"
            mukta verify disk/game --manifest game.meta4 --quiet
            """, """[{ "kind": "delay", "milliseconds": 700 }]""");
        answer.Out.ShouldContain("second 0");
        answer.Out.ShouldContain("Intact");
        var first = answer.Out.Split('\n').First(l => l.StartsWith("first", StringComparison.Ordinal));
        (first is "first 3" or "first 4")
            .ShouldBeTrue($"{first}\n{File.ReadAllText(game.Scratch.At("first.err"))}{File.ReadAllText(game.Scratch.At("first.out"))}");
        foreach (var file in Directory.EnumerateFiles(game.Scratch.At("kept"), "*", SearchOption.AllDirectories)
            .Where(f => !f.Contains(".mukta", StringComparison.Ordinal) && new FileInfo(f).LinkTarget is null))
        {
            var name = Path.GetRelativePath(game.Scratch.At("kept"), file);
            var bytes = await File.ReadAllBytesAsync(file, TestContext.Current.CancellationToken);
            var isWhole = bytes.AsSpan().SequenceEqual(File.ReadAllBytes(game.Scratch.At("release", name)))
                || bytes.AsSpan().SequenceEqual(File.ReadAllBytes(game.Scratch.At("broken", name)));
            isWhole.ShouldBeTrue($"{name} is the old one or the new one");
        }
    }

    [Fact]
    public async Task Where_the_kernel_cannot_resolve_a_path_beneath_a_folder_by_itself_all_is_repaired_remembered_and_undone_nevertheless()
    {
        Need.Program("strace");
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 70_000);
        Directory.CreateDirectory(home.Scratch.At(".local/state"));
        var before = home.Scratch.Snapshot("games/gannet-post");
        (await OnOldKernelAsync("repair", "gannet-post", "--profiles", "profiles", "--yes")).Code.ShouldBe(0);
        File.Exists(home.Scratch.At(".local/state/mukta/state.db")).ShouldBeTrue();
        (await OnOldKernelAsync("verify", "gannet-post", "--profiles", "profiles")).Out.ShouldContain("Intact");
        (await OnOldKernelAsync("undo", "gannet-post", "--yes")).Code.ShouldBe(0);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(before);

        // openat2(2) came with Linux 5.6, and some containers forbid it.
        Task<Answer> OnOldKernelAsync(params string[] arguments) => Programs.RunAsync(
            home.Scratch, "strace",
            ["-f", "-qq", "-e", "trace=openat2", "-e", "inject=openat2:error=ENOSYS", "-e", "signal=none", "-o", "/dev/null", "env",
            .. home.Words([], arguments)]);
    }

    [Fact]
    public async Task What_has_arrived_needs_no_room_a_second_time()
    {
        using var game = await MakeAsync();
        var answer = await OnDiskAsync(game, "size=40M", """
            needed=$(mukta repair disk/game --manifest game.meta4 --from URL --dry-run --json | grep -o '"extraSpace": *[0-9]*' | grep -o '[0-9]*')
            free=$(df --output=avail -B1 disk | tail -n 1)
            head -c $((free - needed - (4 << 20) - 300000)) /dev/zero > disk/ballast
            mukta repair disk/game --manifest game.meta4 --from URL --stall 600 --yes > first.out 2> first.err & run=$!
            until [ "$(du -s --block-size=1 disk/game/.mukta/staging 2> /dev/null | cut -f1)" -gt 3000000 ] 2> /dev/null; do sleep 0.1; done
            pkill -KILL -P $run; wait $run 2> /dev/null; cat first.err >&2
            mukta repair disk/game --manifest game.meta4 --from release --yes; echo "second $?"
            """, """[{ "kind": "stall", "bytes": 4000000, "path": "maps/sea.pak" }]""");
        answer.Out.ShouldContain("second 0", customMessage: answer.Err);
    }

    [Theory]
    [InlineData("size=12M", "The disk has")]
    [InlineData("size=100M,nr_inodes=20", "more files can be made")]
    public async Task Too_little_room_is_said_before_anything_is_touched(string options, string says)
    {
        using var game = await MakeAsync();
        var answer = await OnDiskAsync(game, options, """
            find disk/game | sort > before
            mukta repair disk/game --manifest game.meta4 --from URL --yes; echo "code $?"
            find disk/game ! -path '*.mukta*' | sort | diff before - && echo same
            """);
        answer.Out.ShouldContain("code 3");
        answer.Err.ShouldContain(says);
        answer.Out.ShouldContain("same");
    }

    [Fact]
    public async Task A_read_only_disk_is_said_with_what_to_do()
    {
        using var game = await MakeAsync();
        var answer = await OnDiskAsync(game, "size=40M", """
            mount -o remount,ro disk
            mukta repair disk/game --manifest game.meta4 --from URL --yes; echo "code $?"
            mukta verify disk/game --manifest game.meta4 --quiet > /dev/null; echo "verify $?"
            """);
        answer.Out.ShouldContain("code 3");
        answer.Err.ShouldContain("mounted read-only");
        answer.Out.ShouldContain("verify 1");
    }

    [Theory]
    [InlineData("btrfs")]
    [InlineData("xfs")]
    public async Task Where_files_can_share_their_bytes_only_the_new_ones_take_room_and_an_undo_brings_the_old_ones_back(string kind)
    {
        Need.Root();
        Need.Program($"mkfs.{kind}");
        using var game = await GameFolder.MakeAsync();
        game.Scratch.Fill("release/maps/sea.pak", 60 << 20, 8);
        (await game.MuktaAsync("manifest", "make", "--yes", "release", "--product", "gannet-post", "--out", "game.meta4")).Code.ShouldBe(0);
        File.Delete(game.Scratch.At("game/start"));
        var answer = await Programs.RunAsync(game.Scratch, "unshare", "--mount", "bash", "-c", $$"""
            mukta() { '{{Programs.Mukta}}' "$@"; }
            truncate -s 400M image && mkfs.{{kind}} -q image && mkdir disk && mount -o loop image disk || exit 9
            cp -r release disk/game && printf damaged | dd of=disk/game/maps/sea.pak bs=1 seek=30000000 conv=notrunc status=none && cp disk/game/maps/sea.pak broken && sync
            used=$(df --output=used -B1 disk | tail -n 1)
            mukta repair disk/game --manifest game.meta4 --from release --yes --json > out.json; echo "code $?"; grep -m 1 '"way"' out.json
            sync; echo "grown $(( ($(df --output=used -B1 disk | tail -n 1) - used) / 1048576 ))"
            cmp disk/game/maps/sea.pak release/maps/sea.pak && echo whole
            mukta undo --in disk/game --yes > undo.out && cmp disk/game/maps/sea.pak broken && echo undone
            """);
        Need.That(answer.Code != 9, $"no image of {kind} can be mounted");
        answer.Out.ShouldContain("code 0");
        answer.Out.ShouldContain("\"way\": \"share\"");
        answer.Out.ShouldContain("whole");
        answer.Out.ShouldContain("undone");
        int.Parse(answer.Out.Split("grown ")[1].Split('\n')[0], System.Globalization.CultureInfo.InvariantCulture)
            .ShouldBeLessThan(8, "MiB");
    }

    [Fact]
    public async Task A_file_that_the_disk_fails_to_read_is_told_with_its_bytes_and_the_rest_goes_on()
    {
        using var game = await MakeAsync();
        var answer = await OnDiskAsync(game, "size=40M", """
            sleep 60 & mount --bind /proc/$!/mem disk/game/maps/pier.pak # Nothing is mapped at its beginning: reading fails as on a bad disk.
            mukta repair disk/game --manifest game.meta4 --from URL --yes; echo "code $?"
            cmp disk/game/maps/sea.pak release/maps/sea.pak && echo the rest is whole
            kill "$!"
            """);
        answer.Out.ShouldContain("code 1");
        answer.Out.ShouldContain("Input/output error in bytes 0 to 65,535");
        answer.Out.ShouldContain("the rest is whole");
    }

    [Fact]
    public async Task A_disk_that_takes_bytes_and_fails_only_when_they_are_flushed_is_told_and_the_same_repair_goes_on()
    {
        using var game = await MakeAsync();
        Need.Program("mkfs.ext4");
        using var mirror = await Mirror.StartAsync(game.Scratch, "release");
        var answer = await Programs.RunAsync(game.Scratch, "unshare", "--mount", "bash", "-c", $$"""
            mkdir thin disk && mount -t tmpfs -o size=17M thin thin && truncate -s 100M thin/image && mkfs.ext4 -q -O ^has_journal -E lazy_itable_init=0 thin/image || exit 9
            mount -o loop thin/image disk && cp -r --preserve=all broken disk/game && sync || exit 9
            '{{Programs.Mukta}}' repair disk/game --manifest game.meta4 --from {{mirror.Url}} --yes > first.out 2> first.err; echo "first $?"
            mount -o remount,size=200M thin
            '{{Programs.Mukta}}' repair disk/game --manifest game.meta4 --from {{mirror.Url}} --yes > second.out 2> second.err; echo "second $?"
            umount disk; mount -o loop thin/image disk # What is read now has been on the disk.
            '{{Programs.Mukta}}' verify disk/game --manifest game.meta4 --quiet
            """);
        Need.That(answer.Code != 9, "no ext4 image can be mounted");
        var first = await File.ReadAllTextAsync(game.Scratch.At("first.out"), TestContext.Current.CancellationToken)
            + await File.ReadAllTextAsync(game.Scratch.At("first.err"), TestContext.Current.CancellationToken);
        answer.Out.ShouldContain("first 3", Case.Sensitive, first);
        first.ShouldContain("No space left on device");
        answer.Out.ShouldContain(
            "second 0", Case.Sensitive,
            await File.ReadAllTextAsync(game.Scratch.At("second.err"), TestContext.Current.CancellationToken)
            + await File.ReadAllTextAsync(game.Scratch.At("second.out"), TestContext.Current.CancellationToken) + first);
        answer.Out.ShouldContain("Intact");
    }

    [Fact]
    public async Task A_flag_that_forbids_changes_is_reported_for_its_file_and_the_rest_goes_on()
    {
        using var game = await GameFolder.MakeAsync();
        Need.Root();
        game.Scratch.Flip("game/maps/pier.pak", 5);
        game.Scratch.Flip("game/bin/game", 5);
        using var lockIt = System.Diagnostics.Process.Start("chattr", ["+i", game.Scratch.At("game/maps/pier.pak")]);
        await lockIt.WaitForExitAsync(TestContext.Current.CancellationToken);
        Need.That(lockIt.ExitCode == 0, "this file system knows no immutable flag");
        try
        {
            var answer = await game.RepairAsync("--from", "release", "--yes");
            answer.Code.ShouldBe(3);
            answer.Out.ShouldContain("maps/pier.pak");
            File.ReadAllBytes(game.Scratch.At("game/bin/game")).ShouldBe(File.ReadAllBytes(game.Scratch.At("release/bin/game")));
        }
        finally
        {
            using var unlock = System.Diagnostics.Process.Start("chattr", ["-i", game.Scratch.At("game/maps/pier.pak")]);
            await unlock.WaitForExitAsync(TestContext.Current.CancellationToken);
        }

        (await game.RepairAsync("--from", "release", "--yes")).Code.ShouldBe(0);
        game.ShouldBeWhole();
    }

    private static async Task<GameFolder> MakeAsync()
    {
        Need.Root();
        var game = await GameFolder.MakeAsync();
        game.Scratch.Fill("release/maps/sea.pak", 9_000_000, 8);
        (await game.MuktaAsync("manifest", "make", "--yes", "release", "--product", "gannet-post", "--piece-size", "64KiB", "--out", "game.meta4"))
            .Code.ShouldBe(0);
        game.Scratch.CopyTree("release", "broken");
        File.Delete(game.Scratch.At("broken/start"));
        File.CreateSymbolicLink(game.Scratch.At("broken/start"), "bin/game");
        game.Scratch.Zero("broken/maps/sea.pak", 0, 6_000_000);
        game.Scratch.Zero("broken/maps/harbour.pak", 0, 900_000);
        game.Scratch.Flip("broken/bin/game", 5);
        return game;
    }

    private static async Task<Answer> OnDiskAsync(GameFolder game, string options, string script, string faults = "[]")
    {
        using var mirror = await Mirror.StartAsync(game.Scratch, "release", faults);
        Directory.CreateDirectory(game.Scratch.At("disk"));
        var whole =
            $"mount -t tmpfs -o {options} tmpfs disk && cp -r --preserve=all broken disk/game\nmukta() {{ '{Programs.Mukta}' \"$@\"; "
            + $"}}\n{script.Replace("URL", mirror.Url, StringComparison.Ordinal)}";
        return await Programs.RunAsync(game.Scratch, "unshare", "--mount", "bash", "-c", whole);
    }
}
