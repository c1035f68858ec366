using Mukta.Reinstall;
using Mukta.Tests;

namespace Mukta.Core.Tests.Reinstall;

/// <summary>The same with a vendor's own remove and install, and with programs that make things anew. Apart, since it takes long.</summary>
public sealed class VendorReinstallCrashTests
{
    [Fact]
    public void With_a_vendors_remove_and_install_the_same_reinstall_ends_after_a_crash_at_any_point_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new ReinstallScene(hasSetup: true), changes: 310, undoChanges: 92);

    [Theory]
    [InlineData(false, 223, 82)]
    [InlineData(true, 310, 92)]
    public void What_a_reinstall_had_set_aside_comes_back_though_programs_made_it_anew_between_a_kill_and_the_same_command(
        bool hasSetup, int changes, int undoChanges) =>
        CrashPoints.MadeAnew(
            () => new ReinstallScene(hasSetup), changes, undoChanges, ".config/pier/settings", "games/pier/mods/mine.txt",
            ".local/share/applications/pier.desktop");

    [Fact]
    public async Task User_data_that_a_vendors_remove_has_taken_is_back_for_good_once_the_reinstall_is_done()
    {
        foreach (var loss in Enum.GetValues<Loss>())
            await TakingUserDataAsync(0, loss);
    }

    [Fact]
    public async Task User_data_that_a_vendors_remove_has_taken_is_back_after_a_crash_at_any_point_and_the_same_reinstall()
    {
        Sample.Printed();
        foreach (var point in Sample.OneOf(Sample.IsAll ? 3 : 11, Enumerable.Range(1, 326), areAll: false))
            await TakingUserDataAsync(point, Loss.Everything);
    }

    private static async Task TakingUserDataAsync(int killAt, Loss loss)
    {
        using var harbour = Harbour.Make(hasSetup: true);
        harbour.Scratch.Write("games/mood", "if [ $1 = remove ]; then rm -rf screenshots ../../.local/share/pier; fi");
        using var disk = new ForgettingDisk(killAt, [harbour.Scratch.Root]);
        using (disk.Watching())
        {
            if (killAt == 0)
                (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
            else
                await Should.ThrowAsync<Exception>(() => harbour.ReinstallAsync());
        }

        disk.CutPower(loss, 0);
        if (!Directory.Exists(harbour.Scratch.At("games/pier/maps")))
        {
            Directory.EnumerateFiles(harbour.Scratch.At(".local/state/mukta"), "b.pak", SearchOption.AllDirectories)
                .ShouldNotBeEmpty($"the old install is gone, and so is the new one, killed at {killAt}");
        }

        if (killAt > 0)
            (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done, $"killed at {killAt}");
        var after = $"killed at {killAt}, lost {loss}";
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed", after);
        File.ReadAllText(harbour.Scratch.At("games/pier/screenshots/first.raw")).ShouldBe("a picture", after);
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
        ReinstallScene.Made(harbour, "after the second run");
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        harbour.UndoAll();
        harbour.Look().Select(l => l.Split(' ')[0]).ShouldBe(before.Select(l => l.Split(' ')[0]));
    }
}
