using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Core.Tests.Reinstall;

/// <summary>
/// The world ends before every single change that a clean reinstall makes on the disk, one after the other. Then the same command is given
/// again.
/// </summary>
public sealed class ReinstallCrashTests
{
    [Fact]
    public async Task What_is_played_while_the_new_install_is_built_is_in_what_comes_back()
    {
        using var harbour = Harbour.Make();
        using (new Playing(harbour).Watching())
            (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/first.raw")).ShouldBe("a newer picture");
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/second.raw")).ShouldBe("another");
    }

    [Fact]
    public void After_a_crash_at_any_point_the_old_or_the_new_install_works_and_the_same_reinstall_ends_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new ReinstallScene(hasSetup: false), changes: 223, undoChanges: 82);

    [Fact]
    public void What_was_built_is_still_there_if_the_power_is_lost_right_before_the_change_over()
    {
        int changeOver;
        using (var counting = new ReinstallScene(hasSetup: false))
        using (var disk = new ForgettingDisk(0, counting.Roots))
        {
            using (disk.Watching())
                counting.Run();
            changeOver = disk.Story.FindIndex(s => s.StartsWith(nameof(DiskChangeKind.Rename), StringComparison.Ordinal) && s.Contains("/new-0 ")) + 1;
        }

        using var scene = new ReinstallScene(hasSetup: false);
        using (var disk = new ForgettingDisk(changeOver, scene.Roots))
        {
            using (disk.Watching())
                Should.Throw<Killed>(scene.Run);
            disk.CutPower(Loss.Everything, 0);
        }

        var state = Path.Join(scene.Roots[0], ".local/state");
        Directory.EnumerateFiles(state, "b.pak", SearchOption.AllDirectories).ShouldHaveSingleItem().ShouldContain("/new-0/maps/");
    }

    [Fact]
    public async Task What_was_played_between_an_interruption_and_the_next_run_comes_back_as_it_is()
    {
        using var harbour = Harbour.Make();
        using (new EndsOnce(() => Directory.EnumerateFiles(harbour.Scratch.At(".local/state"), "a.pak", SearchOption.AllDirectories).Any())
            .Watching())
            await Should.ThrowAsync<Killed>(() => harbour.ReinstallAsync());
        harbour.Scratch.Write("games/pier/screenshots/first.raw", "a newer picture");
        harbour.Services.Active = "active"; // As after a restart of the machine.
        (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/first.raw")).ShouldBe("a newer picture");
    }

    /// <summary>Ends the world once something is true.</summary>
    private sealed class EndsOnce(Func<bool> isTime) : DiskWatch
    {
        private bool isOver;

        public override void Before(DiskChange change)
        {
            if (isOver |= isTime())
                throw new Killed();
        }
    }

    /// <summary>Somebody plays once the user's data is copied and the new install is being built.</summary>
    private sealed class Playing(Harbour harbour) : DiskWatch
    {
        private bool hasPlayed;

        public override void Before(DiskChange change)
        {
            if (hasPlayed || change.Kind != DiskChangeKind.MakeFolder || !Directory.EnumerateFiles(
                harbour.Scratch.At(".local/state/mukta"), "user-data-*.tar", SearchOption.AllDirectories).Any())
                return;
            hasPlayed = true;
            harbour.Scratch.Write("games/pier/screenshots/first.raw", "a newer picture");
            harbour.Scratch.Write("games/pier/screenshots/second.raw", "another");
        }
    }
}
