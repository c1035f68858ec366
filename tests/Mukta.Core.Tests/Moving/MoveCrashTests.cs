using Mukta.Disk;
using Mukta.Moving;
using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests.Moving;

/// <summary>
/// The world ends before every single change that a move makes, to another file system and within one. Then the same command is given
/// again.
/// </summary>
public sealed class MoveCrashTests
{
    [Fact]
    public void After_a_crash_at_any_point_of_a_move_within_one_disk_one_whole_install_is_in_its_place_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(toAnotherDisk: false), changes: 62, undoChanges: 56);

    [Fact]
    public void After_a_crash_at_any_point_of_a_move_to_another_disk_one_whole_install_is_in_its_place_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(toAnotherDisk: true), changes: 187, undoChanges: 82);

    [Fact]
    public void An_install_that_has_moved_to_another_disk_comes_back_though_a_launcher_made_the_old_folder_anew_after_a_kill() =>
        CrashPoints.MadeAnew(
            () => new Scene(toAnotherDisk: true), changes: 187, undoChanges: 82, "games/pier/bin/pier",
            ".local/share/applications/pier.desktop");

    /// <summary>An install that moves.</summary>
    private sealed class Scene : ICrashScene
    {
        private readonly Harbour harbour = Harbour.Make();
        private readonly Scratch disk;
        private readonly List<string> tree;

        public Scene(bool toAnotherDisk) => (disk, tree) = (new Scratch(inMemory: !toAnotherDisk), Tree(harbour.Path));

        public IReadOnlyList<string> Roots => [harbour.Scratch.Root, disk.Root];

        public List<string> Look() =>
            [.. harbour.Look(), .. disk.Snapshot("").Where(f => !f.Key.Contains(".mukta", StringComparison.Ordinal) && f.Key != "games")
            .Select(f => $"{f.Key} {f.Value}")];

        public void Run()
        {
            harbour.ForgetOurBirth();
            Move(harbour, disk);
        }


        public void CheckCrashed(string after) => Standing(harbour, disk).ShouldContain(path => tree.SequenceEqual(Tree(path)), after);

        public void Check(string after)
        {
            Directory.Exists(harbour.Path).ShouldBeFalse(after);
            Tree(disk.At("games/pier")).ShouldBe(tree, after);
            File.ReadAllText(harbour.Scratch.At(".local/share/applications/pier.desktop")).ShouldContain(disk.At("games/pier/bin/pier"));
        }

        public void Undo() => harbour.UndoAll();

        public void UndoTheUndo() => harbour.UndoTheUndos();

        public void Dispose()
        {
            harbour.Dispose();
            disk.Dispose();
        }
    }

    [Fact]
    public void A_disk_that_cannot_hold_the_install_is_refused_before_anything_is_touched()
    {
        using var harbour = Harbour.Make();
        using var disk = new Scratch();
        harbour.Scratch.Write("games/pier/maps/A.pak", "donor");
        var plan = MovePlan.Of(harbour.Catalog.Of("pier").Profile, harbour.Path, disk.Root, TestContext.Current.CancellationToken);
        plan.To.ShouldBe(disk.At("pier"), "a folder that is there is a place to put it into");
        plan.Prove();
        var fat = FileSystemCapabilities.OfType("vfat");
        Should.Throw<MuktaException>(() => plan.Prove(fat)).What.ShouldContain("symbolic link");
        Should.Throw<MuktaException>(() => (plan with { Needs = plan.Needs with { Links = 0 } }).Prove(fat))
            .What.ShouldContain("maps/a.pak", Case.Insensitive);
        Should.Throw<MuktaException>(
            () => (plan with { Needs = plan.Needs with { Links = 0, CaseTwins = null, LongestFile = 5L << 30 } }).Prove(fat))
            .What.ShouldContain("5.00 GiB");
        Should.Throw<MuktaException>(
            () => (plan with { Needs = plan.Needs with { Links = 0, CaseTwins = null, ForeignName = "maps/a:b" } }).Prove(fat))
            .What.ShouldContain("cannot hold (maps/a:b)");
        FileSystemCapabilities.IsForeign("a:b").ShouldBeTrue();
        Should.Throw<MuktaException>(
            () => MovePlan.Of(plan.Profile, harbour.Path, Path.Join(harbour.Path, "maps/deeper"), TestContext.Current.CancellationToken))
            .What.ShouldContain("into itself");
        using var folder = Folder.Open(disk.Root);
        FileSystemCapabilities.OfType("vfat").TriedIn(folder, ".")
            .ShouldBe(
            new FileSystemCapabilities(false, true, true, uint.MaxValue) { KeepsChangeTime = false }, "what a disk really does counts");
        FileSystemCapabilities.OfType("ext4").TriedIn(folder, ".")
            .ShouldBe(new FileSystemCapabilities(true, true, true, null) { IsOfLinux = true });
        Directory.EnumerateFileSystemEntries(disk.Root).ShouldBeEmpty();
    }

    [Fact]
    public void A_move_that_was_interrupted_does_not_go_on_to_a_place_that_nobody_has_named_now()
    {
        using var harbour = Harbour.Make();
        using var disk = new Scratch();
        using (var watch = new ForgettingDisk(40, [harbour.Scratch.Root, disk.Root]))
        using (watch.Watching())
            Should.Throw<Killed>(() => Move(harbour, disk));

        var left = Mover.Interrupted(harbour.Machine, "pier").ShouldNotBeNull();
        var profile = harbour.Catalog.Of("pier").Profile;
        Should.Throw<MuktaException>(
            () => MovePlan.GoingOn(profile, left, disk.At("elsewhere"), TestContext.Current.CancellationToken))
            .Where.ShouldBe(disk.At("games/pier"));
        MovePlan.GoingOn(profile, left, disk.At("games/pier"), TestContext.Current.CancellationToken).To.ShouldBe(left.To);
    }

    [Theory]
    [InlineData(true)]
    [InlineData(false)]
    public void What_is_played_after_the_copy_was_made_is_in_the_install_that_counts(bool isKilled)
    {
        using var harbour = Harbour.Make();
        using var disk = new Scratch();
        void Play()
        {
            harbour.Scratch.Write("games/pier/screenshots/first.raw", "a newer picture");
            harbour.Scratch.Write("games/pier/screenshots/second.raw", "a second picture");
            File.Delete(harbour.Scratch.At("games/pier/mods/mine.txt"));
            if (isKilled)
                throw new Killed();
        }

        // The last folder that is copied gets its times once all is in it.
        using (new Meanwhile(c => c.Kind == DiskChangeKind.FlushAll || c.Kind == DiskChangeKind.FlushFolder
            && c.Path.Contains("screenshots", StringComparison.Ordinal), Play).Watching())
        {
            if (isKilled)
                Should.Throw<Killed>(() => Move(harbour, disk));
            else
                Should.NotThrow(() => Move(harbour, disk));
        }

        Move(harbour, disk);
        Directory.Exists(harbour.Path).ShouldBeFalse();
        File.ReadAllText(disk.At("games/pier/screenshots/first.raw")).ShouldBe("a newer picture");
        File.ReadAllText(disk.At("games/pier/screenshots/second.raw")).ShouldBe("a second picture");
        File.Exists(disk.At("games/pier/mods/mine.txt")).ShouldBeFalse("it is gone from the install, so it is from the copy");
    }

    [Fact]
    public void A_move_that_was_killed_goes_on_though_a_launcher_has_made_the_old_folder_again()
    {
        using var harbour = Harbour.Make();
        using var disk = new Scratch(inMemory: true);
        var tree = Tree(harbour.Path);
        using (new Meanwhile(c => c.Kind == DiskChangeKind.Rename && c.Other == disk.At("games/pier"), () => throw new Killed()).Watching())
            Should.Throw<Killed>(() => Move(harbour, disk));
        harbour.Scratch.Write("games/pier/new.txt", "by the launcher");
        Move(harbour, disk);
        Tree(disk.At("games/pier")).ShouldBe(tree);
        File.ReadAllText(harbour.Scratch.At("games/pier/new.txt")).ShouldBe("by the launcher");
    }

    private static IEnumerable<string> Standing(Harbour harbour, Scratch disk) =>
        new[] { harbour.Path, disk.At("games/pier") }.Where(Directory.Exists);

    private static void Move(Harbour harbour, Scratch disk)
    {
        // After a kill behind the very end there is nothing left to do.
        if (Mover.Interrupted(harbour.Machine, "pier") is not null || Directory.Exists(harbour.Path))
            new MoveRemedy(harbour.RemedyTarget() with { NamedManifest = null }, disk.At("games/pier"), harbour.Tools).Run();
    }

    /// <summary>Bytes, names, kinds, modes and times.</summary>
    private static List<string> Tree(string path)
    {
        using var folder = Folder.Open(path);
        return [.. TreeWalk.Entries(folder, p => p == ".mukta")
            .Select(e =>
            $"{e.Path} {e.Node!.Value.Kind} {e.Node.Value.Mode} {e.Node.Value.ModifiedNs} "
            + $"{(e.Node.Value.Kind == NodeKind.File ? Convert.ToHexString(System.Security.Cryptography.SHA256.HashData(File.ReadAllBytes(Path.Join(path, e.Path)))) : "")}").Order(StringComparer.Ordinal)];
    }
}
