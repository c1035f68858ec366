using Mukta.Disk;
using Mukta.Operations;
using Mukta.Reinstall;
using Mukta.Tests;
using Mukta.Verification;

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
        CrashPoints.ForEach(() => new Scene(hasSetup: false), changes: 226, undoChanges: 82);

    [Fact]
    public void With_a_vendors_remove_and_install_the_same_reinstall_ends_after_a_crash_at_any_point_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(hasSetup: true), changes: 313, undoChanges: 92);

    [Theory]
    [InlineData(false, 226, 82)]
    [InlineData(true, 313, 92)]
    public void What_a_reinstall_had_set_aside_comes_back_though_programs_made_it_anew_between_a_kill_and_the_same_command(
        bool hasSetup, int changes, int undoChanges) =>
        CrashPoints.MadeAnew(
            () => new Scene(hasSetup), changes, undoChanges, ".config/pier/settings", "games/pier/mods/mine.txt",
            ".local/share/applications/pier.desktop");

    /// <summary>An install that is replaced by a clean copy.</summary>
    private sealed class Scene(bool hasSetup) : ICrashScene
    {
        private readonly Harbour harbour = Harbour.Make(hasSetup);
        private List<KeyValuePair<string, string>>? old;

        public IReadOnlyList<string> Roots => [harbour.Scratch.Root];

        public List<string> Look()
        {
            old ??= Programs();
            return harbour.Look();
        }

        public void Run()
        {
            harbour.ForgetOurBirth();
            harbour.ReinstallAsync().GetAwaiter().GetResult().Code.ShouldBe(ExitCode.Done);
        }

        public void CheckCrashed(string after)
        {
            if (!Directory.Exists(harbour.Path))
                after.ShouldContain("poor disk", Case.Sensitive, "without an exchange of names there is a moment between two renames");
            else if (!hasSetup && !Programs().SequenceEqual(old!))
                Verify(harbour).IsIntact.ShouldBeTrue($"neither the old nor the new install is there {after}");
            File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
            Directory.EnumerateFiles(harbour.Scratch.Root, "first.raw", SearchOption.AllDirectories).Select(File.ReadAllText)
                .ShouldContain("a picture", after);
        }

        public void Check(string after) => Made(harbour, after);

        public void Undo()
        {
            harbour.UndoAll();
            harbour.Services.Active.ShouldBe("active");
        }

        public void UndoTheUndo() => harbour.UndoTheUndos();

        public void Dispose() => harbour.Dispose();

        private List<KeyValuePair<string, string>> Programs() =>
            [.. harbour.Scratch.Snapshot("games/pier")
            .Where(f => f.Key.StartsWith("bin", StringComparison.Ordinal) || f.Key.StartsWith("maps", StringComparison.Ordinal))];
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

    [Fact]
    public async Task A_vendors_remove_that_breaks_off_after_it_has_taken_the_saves_loses_none_of_them()
    {
        using var harbour = Harbour.Make(hasSetup: true);
        var before = harbour.Look();
        harbour.Scratch.Write("games/mood", "rm -rf screenshots bin ../../.local/share/pier; kill -9 $$");
        (await Should.ThrowAsync<ReinstallStopped>(() => harbour.ReinstallAsync())).State.ShouldBe(ReinstallState.Removed);
        File.Delete(harbour.Scratch.At("games/mood"));
        (await harbour.ReinstallAsync()).Code.ShouldBe(ExitCode.Done);
        Made(harbour, "after the second run");
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        harbour.UndoAll();
        harbour.Look().Select(l => l.Split(' ')[0]).ShouldBe(before.Select(l => l.Split(' ')[0]));
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

    private static VerifyResult Verify(Harbour harbour)
    {
        using var folder = Folder.Open(harbour.Path);
        return new Verifier(TimeProvider.System)
            .Verify(harbour.Manifest, folder, new VerifyOptions(), TestContext.Current.CancellationToken);
    }

    /// <summary>
    /// The new install is whole, the user's data and what belongs to others is where it was, leftovers are gone, nothing is half done.
    /// </summary>
    private static void Made(Harbour harbour, string after)
    {
        Verify(harbour).IsIntact.ShouldBeTrue(after);
        var tree = harbour.Scratch.Snapshot("games/pier");
        tree.Keys.Where(k => !harbour.Manifest.Files.Any(f => f.Path == k) && tree[k] != "folder")
            .ShouldBe(["inside/other/bin/other", "maps/main.pak", "screenshots/best", "screenshots/first.raw"], after);
        tree["screenshots/best"].ShouldBe("link first.raw");
        File.GetUnixFileMode(harbour.Scratch.At("games/pier/screenshots")).ShouldBe((UnixFileMode)0b111_000_000);
        File.Exists(harbour.Scratch.At(".config/pier/settings")).ShouldBeFalse();
        File.ReadAllText(harbour.Scratch.At(".local/share/applications/pier.desktop"))
            .ShouldContain(harbour.Scratch.At("games/pier/bin/pier"));
        harbour.Services.Active.ShouldBe("active");
        var areas = new OperationCatalog(harbour.Machine.Home, TimeProvider.System).All([], []);
        areas.Count.ShouldBeInRange(1, 2, "a kill after the very end makes the next one another operation");
        areas.ShouldContain(a => a.State == OperationState.Done, "with the power the last line of the first may be lost");
        Directory.EnumerateFileSystemEntries(areas[0].Place).Select(Path.GetFileName).Order()
            .ShouldBe(["files", "journal", "user-data-0.tar"]);
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
