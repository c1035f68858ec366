using Mukta.Disk;
using Mukta.Operations;
using Mukta.Reinstall;
using Mukta.Verification;

namespace Mukta.Core.Tests.Reinstall;

/// <summary>The world ends before every single change that a clean reinstall makes on the disk, one after the other. Then the same command is given again.</summary>
public sealed class ReinstallCrashTests
{
    [Fact]
    public async Task After_a_kill_at_any_point_the_old_or_the_new_install_works_and_the_same_reinstall_ends_and_one_undo_brings_everything_back()
    {
        var points = 0;
        for (var kill = 1; ; kill++)
        {
            using var harbour = Harbour.Make();
            var (before, old) = (harbour.Look(), harbour.Scratch.Snapshot("games/pier").Where(f => f.Key.StartsWith("bin", StringComparison.Ordinal) || f.Key.StartsWith("maps", StringComparison.Ordinal)).ToList());
            var isOver = await TryUntilAsync(harbour, kill);
            var now = harbour.Scratch.Snapshot("games/pier").Where(f => f.Key.StartsWith("bin", StringComparison.Ordinal) || f.Key.StartsWith("maps", StringComparison.Ordinal)).ToList();
            if (!now.SequenceEqual(old))
                Verify(harbour).IsIntact.ShouldBeTrue($"neither the old nor the new install stands there after a kill at point {kill}");
            File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
            Directory.EnumerateFiles(harbour.Scratch.Root, "first.raw", SearchOption.AllDirectories).Select(File.ReadAllText).ShouldContain("a picture");

            if (!isOver)
                (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done, $"after a kill at point {kill}");
            Made(harbour, kill);
            harbour.UndoAll();
            Same(before, harbour.Look(), $"undone after a kill at point {kill}");
            harbour.Services.Active.ShouldBe("active");
            if (isOver)
                break;
            points = kill;
        }

        TestContext.Current.TestOutputHelper?.WriteLine($"{points} points of a reinstall");
        points.ShouldBeGreaterThan(150);
    }

    [Fact]
    public async Task With_a_vendors_remove_and_install_the_same_reinstall_ends_after_a_kill_at_any_point_and_one_undo_brings_everything_back()
    {
        var points = 0;
        for (var kill = 1; ; kill += kill < 100 ? 7 : 1)
        {
            using var harbour = Harbour.Make(hasSetup: true);
            var before = harbour.Look();
            var isOver = await TryUntilAsync(harbour, kill);
            if (!isOver)
                (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done, $"after a kill at point {kill}");
            Made(harbour, kill);
            harbour.UndoAll();
            Same(before, harbour.Look(), $"undone after a kill at point {kill}");
            if (isOver)
                break;
            points++;
        }

        TestContext.Current.TestOutputHelper?.WriteLine($"{points} points of a reinstall with the vendor's setup");
        points.ShouldBeGreaterThan(100);
    }

    [Fact]
    public async Task What_was_played_between_an_interruption_and_the_next_run_comes_back_as_it_is()
    {
        using var harbour = Harbour.Make();
        var isKilled = false;
        await Should.ThrowAsync<Killed>(() => harbour.ReinstallAsync(() =>
        {
            if (isKilled |= Directory.EnumerateFiles(harbour.Scratch.At(".local/state"), "a.pak", SearchOption.AllDirectories).Any())
                throw new Killed();
        }));
        harbour.Scratch.Write("games/pier/screenshots/first.raw", "a newer picture");
        harbour.Services.Active = "active"; // As after a restart of the machine.
        (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/first.raw")).ShouldBe("a newer picture");
    }

    [Fact]
    public async Task A_vendors_remove_that_breaks_off_after_it_has_taken_the_saves_loses_none_of_them()
    {
        using var harbour = Harbour.Make(hasSetup: true);
        var before = harbour.Look();
        harbour.Scratch.Write("games/mood", "rm -rf screenshots bin ../../.local/share/pier; kill -9 $$");
        (await Should.ThrowAsync<ReinstallStopped>(() => harbour.ReinstallAsync())).State.ShouldBe(ReinstallState.Removed);
        File.Delete(harbour.Scratch.At("games/mood"));
        (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
        Made(harbour, 0);
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        harbour.UndoAll();
        harbour.Look().Select(l => l.Split(' ')[0]).ShouldBe(before.Select(l => l.Split(' ')[0]));
    }

    private sealed class Killed : Exception;

    private static async Task<bool> TryUntilAsync(Harbour harbour, int kill)
    {
        var count = 0;
        try
        {
            await harbour.ReinstallAsync(() =>
            {
                if (Interlocked.Increment(ref count) >= kill)
                    throw new Killed();
            });
            return true;
        }
        catch (Killed)
        {
            return false;
        }
    }

    private static VerifyResult Verify(Harbour harbour)
    {
        using var folder = Folder.Open(harbour.Path);
        return new Verifier(TimeProvider.System).Verify(harbour.Manifest, folder, new VerifyOptions(), TestContext.Current.CancellationToken);
    }

    /// <summary>The new install is whole, the user's data and what belongs to others is where it was, leftovers are gone, nothing is half done.</summary>
    private static void Made(Harbour harbour, int kill)
    {
        Verify(harbour).IsIntact.ShouldBeTrue($"after a kill at point {kill}");
        var tree = harbour.Scratch.Snapshot("games/pier");
        tree.Keys.Where(k => !harbour.Manifest.Files.Any(f => f.Path == k) && tree[k] != "folder").ShouldBe(["inside/other/bin/other", "maps/main.pak", "screenshots/best", "screenshots/first.raw"], $"after a kill at point {kill}");
        tree["screenshots/best"].ShouldBe("link first.raw");
        File.GetUnixFileMode(harbour.Scratch.At("games/pier/screenshots")).ShouldBe((UnixFileMode)0b111_000_000);
        File.Exists(harbour.Scratch.At(".config/pier/settings")).ShouldBeFalse();
        File.ReadAllText(harbour.Scratch.At(".local/share/applications/pier.desktop")).ShouldContain(harbour.Scratch.At("games/pier/bin/pier"));
        harbour.Services.Active.ShouldBe("active");
        var areas = new OperationCatalog(harbour.Machine.Home, TimeProvider.System).All([], []);
        areas.Count.ShouldBeInRange(1, 2, "a kill after the very end makes the next one another operation");
        areas.ShouldAllBe(a => a.State == OperationState.Done);
        Directory.EnumerateFileSystemEntries(areas[0].Place).Select(Path.GetFileName).Order().ShouldBe(["files", "operation.jsonl", "user-data-0.tar"]);
    }

    private static void Same(List<string> expected, List<string> now, string after)
    {
        var differences = expected.Except(now).Select(l => "- " + l).Concat(now.Except(expected).Select(l => "+ " + l)).ToList();
        if (differences.Count > 0)
            Assert.Fail($"{after}:\n{string.Join('\n', differences)}");
    }
}
