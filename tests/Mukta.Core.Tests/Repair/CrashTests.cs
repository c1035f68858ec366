using CsCheck;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;
using Mukta.Tests;

namespace Mukta.Core.Tests.Repair;

/// <summary>
/// The world ends before every single change that a repair or an undo makes on the disk, one after the other: from there on
/// nothing is changed any more, as after a SIGKILL. Then the same command is given again.
/// </summary>
public sealed class CrashTests
{
    private static readonly DateTime LongAgo = new(2026, 1, 2, 3, 4, 5, DateTimeKind.Utc);
    private static readonly string[] Harms =
        ["flip", "patch", "zero", "truncate", "lengthen", "delete", "mode", "recase", "folder", "link", "file-for-folder"];

    [Fact]
    public void After_a_crash_at_any_point_of_a_repair_or_its_undo_the_same_command_ends_whole_and_undo_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(Broken()), changes: 195, undoChanges: 136);

    [Theory]
    [InlineData(DiskException.InputOutput)]
    [InlineData(DiskException.NoSpace)]
    public void A_disk_that_fails_any_one_write_is_told_and_nothing_is_lost(int errno)
    {
        int changes;
        using (var counted = Broken())
        using (var disk = new ForgettingDisk(0, [counted.Scratch.Root]))
        {
            using (disk.Watching())
                Repair(counted);
            changes = disk.Count;
        }

        foreach (var at in Sample.IsAll ? Enumerable.Range(1, changes) : CrashPoints.Points(changes, errno).Select(p => p.Point))
        {
            using var install = Broken();
            var before = Look(install);
            var (told, _) = FailAt(install, at, errno);
            if (!told)
            {
                install.Scratch.Snapshot("install")
                    .ShouldBe(install.Scratch.Snapshot("release"), $"nothing is told of a failure at change {at}");
            }

            if (!File.Exists(install.Scratch.At("install/.mukta/lock")))
                Directory.SetLastWriteTimeUtc(install.Root, LongAgo);
            Repair(install).ShouldBe(ExitCode.Done, $"after a failure at change {at}");
            Whole(install, $"after a failure at change {at}");
            Undo(install);
            Same(install, before, $"undone after a failure at change {at}");
        }
    }

    [Fact]
    public void A_disk_that_fails_while_many_files_are_on_their_way_ends_the_repair_and_the_same_repair_ends_it()
    {
        const int Files = 1800; // Four batches: one is placed, one flushed, one built.
        using var sound = Sound(Files);
        var random = new Random(Sample.Printed());
        foreach (var at in new[] { 2, Files, 3 * Files, 4 * Files }.Select(most => random.Next(1, most)))
        {
            Directory.Delete(sound.Root, recursive: true);
            Directory.CreateDirectory(sound.Root);
            FailAt(sound, at, DiskException.NoSpace).IsTold.ShouldBeTrue($"after a failure at change {at}");
            Repair(sound).ShouldBe(ExitCode.Done, $"after a failure at change {at}");
            Whole(sound, $"after a failure at change {at}");
        }
    }

    [Fact]
    public void A_disk_that_fails_while_a_batch_is_placed_and_the_next_one_is_built_is_told()
    {
        using var install = Sound(BatchQueue.MostInBatch); // And one more, in a batch of its own.
        Directory.Delete(install.Root, recursive: true);
        Directory.CreateDirectory(install.Root);
        using (new FailsWhilePlacing(StagedFile.PathOf(PlanRunner.StagingFolder, install.Manifest.Files[^1])).Watching())
            Should.Throw<DiskException>(() => Repair(install)).Errno.ShouldBe(DiskException.NoSpace);
        Repair(install).ShouldBe(ExitCode.Done);
        Whole(install, "after the same repair");
    }

    [Fact]
    public void Whatever_was_broken_an_undo_brings_it_back_exactly() =>
        Gen.Select(Gen.Int[0, 1 << 20], Gen.Int[0, Harms.Length - 1].Array[1, 6]).Sample(
        (seed, harms) =>
        {
            using var install = Sound(harms.Length);
            for (var i = 0; i < harms.Length; i++)
                Harm(install, $"d{i % 2}/file-{i}", Harms[harms[i]], seed + i);
            var before = Look(install);
            Repair(install).ShouldBe(ExitCode.Done);
            Undo(install);
            Same(install, before, string.Join(' ', harms));
        },
        iter: 60);

    [Fact]
    public void What_somebody_has_put_in_the_place_since_is_held_and_not_lost()
    {
        using var install = Broken();
        Repair(install);
        install.Scratch.Write("install/d0/file-0", "mine, and newer");
        Undo(install);
        Directory.EnumerateFiles(install.Scratch.At("install/.mukta/kept"), "*", SearchOption.AllDirectories).Select(File.ReadAllText)
            .ShouldContain("mine, and newer");
    }

    [Fact]
    public void A_purged_operation_is_gone_and_the_others_stay()
    {
        using var install = Broken();
        Repair(install);
        var catalog = new OperationCatalog(MachineOf(install).Home, TimeProvider.System);
        var operation = catalog.All([install.Root], []).ShouldHaveSingleItem();
        operation.ShouldSatisfyAllConditions(
            o => o.State.ShouldBe(OperationState.Done), o => o.Size.Files.ShouldBeGreaterThan(4),
            o => o.Record.Header.Product.ShouldBe("gannet-post"));
        catalog.Purge(operation, evenUnfinished: false, TestContext.Current.CancellationToken);
        catalog.All([install.Root], []).ShouldBeEmpty();
        Whole(install, "after the purge");
    }

    /// <summary>A broken install that is repaired.</summary>
    private sealed class Scene(Install install) : ICrashScene
    {
        private static readonly OperationHome NoHome = new("/", SharedState.Folder);

        public IReadOnlyList<string> Roots => [install.Scratch.Root];

        public List<string> Look() => CrashTests.Look(install);

        public void Run()
        {
            if (!File.Exists(install.Scratch.At("install/.mukta/lock")))
                // Our own folder's birth, in the moments before anything is done, shows in the time of its parent.
                Directory.SetLastWriteTimeUtc(install.Root, LongAgo);
            Repair(install).ShouldBe(ExitCode.Done);
        }

        public void CheckCrashed(string after)
        {
            if (!File.Exists(install.Scratch.At("install/.mukta/installed.meta4")))
                return;
            using var kept = File.OpenRead(install.Scratch.At("install/.mukta/installed.meta4"));
            MetalinkReader.Read(kept, $"what is remembered of the release {after}").Files.ShouldNotBeEmpty();
        }

        public void Check(string after) => Whole(install, after);

        public void Undo() => Undos.All(new OperationCatalog(NoHome, TimeProvider.System), [install.Root]);

        public void UndoTheUndo() => Undos.OfUndos(new OperationCatalog(NoHome, TimeProvider.System), [install.Root]);

        public void Dispose() => install.Dispose();
    }

    private static void Same(Install install, List<string> expected, string after) => CrashPoints.Same(expected, Look(install), after);

    /// <summary>Repairs on a disk that fails once. Whether the result tells of it, and whether it came to that.</summary>
    private static (bool IsTold, bool HasFailed) FailAt(Install install, int change, int errno)
    {
        var watch = new FailsOnce(change, errno);
        try
        {
            using (watch.Watching())
                return (Repair(install) != ExitCode.Done, true);
        }
        catch (DiskException e)
        {
            e.Errno.ShouldBe(errno);
            return (true, true);
        }
    }

    /// <summary>A disk that fails one change.</summary>
    private sealed class FailsOnce(int at, int errno) : DiskWatch
    {
        private int count;

        public override void Before(DiskChange change)
        {
            if (Interlocked.Increment(ref count) == at)
                throw new DiskException(errno, "write", "somewhere");
        }
    }

    /// <summary>A disk that is full when the first file is to get its place; a certain other one is not built before that has had its effect.</summary>
    private sealed class FailsWhilePlacing(string held) : DiskWatch
    {
        private readonly TaskCompletionSource released = new();

        public override void Before(DiskChange change)
        {
            if (change.Kind == DiskChangeKind.CreateFile && change.Path.EndsWith(held, StringComparison.Ordinal))
                released.Task.Wait(TimeSpan.FromMinutes(1)).ShouldBeTrue("the first batch is placed");
            if (change.Kind != DiskChangeKind.Rename || change.Other?.Contains("/.mukta/", StringComparison.Ordinal) != false)
                return;
            _ = Task.Delay(500).ContinueWith(_ => released.TrySetResult(), TaskScheduler.Default);
            throw new DiskException(DiskException.NoSpace, "rename", "somewhere");
        }
    }

    private static Machine MachineOf(Install install) => new("/", UserFolders.Of(name => name == "HOME" ? install.Scratch.Root : null));

    private static ExitCode Repair(Install install)
    {
        using var folder = Folder.Open(install.Root);
        using var release = new FolderSource(Folder.Open(install.Scratch.At("release")));
        var before = install.Verify();
        var plan = RepairPlan.For(
            before, new RepairWish { Disk = FileSystemCapabilities.OfType("ext4"), LeastToPatch = Install.PieceLength });
        return new Repairer(TimeProvider.System, Serilog.Core.Logger.None, Guards.Nobody)
            .RepairAsync(new PreparedRepair(before, plan, null), folder, [release], null, default).GetAwaiter().GetResult().Code;
    }

    private static void Undo(Install install) =>
        Undos.All(new OperationCatalog(new OperationHome("/", SharedState.Folder), TimeProvider.System), [install.Root]);

    private static void Whole(Install install, string after)
    {
        install.Scratch.Snapshot("install").ShouldBe(install.Scratch.Snapshot("release"), after);
        Directory.Exists(install.Scratch.At("install/.mukta/staging")).ShouldBeFalse(after);
    }

    /// <summary>Bytes, names, kinds, modes and times.</summary>
    private static List<string> Look(Install install) =>
        [.. install.Scratch.Snapshot("install").Select(f => $"{f.Key} {f.Value} {Time(install.Scratch.At("install", f.Key))}"),
        $". {Time(install.Root)}"];

    private static long Time(string path) => new FileInfo(path) is { LinkTarget: null } ? File.GetLastWriteTimeUtc(path).Ticks : 0;

    private static Install Sound(int files)
    {
        var install = new Install(inMemory: true);
        for (var i = 0; i < files; i++)
        {
            install.Scratch.Fill(
                $"release/d{i % 2}/file-{i}", ((5 + (i % 3)) * Install.PieceLength) + i, i, i % 2 == 0 ? Scratch.Usual : Scratch.Program);
        }

        install.Scratch.Write("release/deep/er/one", "one");
        install.Publish();
        install.Scratch.CopyTree("release", "install");
        return install;
    }

    /// <summary>An install with a harm of every kind.</summary>
    private static Install Broken()
    {
        var install = Sound(Harms.Length);
        for (var i = 0; i < Harms.Length; i++)
            Harm(install, $"d{i % 2}/file-{i}", Harms[i], i);
        foreach (var path in Directory.EnumerateFileSystemEntries(install.Root, "*", SearchOption.AllDirectories).Append(install.Root)
            .Where(p => new FileInfo(p).LinkTarget is null))
            File.SetLastWriteTimeUtc(path, LongAgo);
        return install;
    }

    private static void Harm(Install install, string file, string harm, int seed)
    {
        var (scratch, path) = (install.Scratch, $"install/{file}");
        var size = new FileInfo(scratch.At(path)).Length;
        switch (harm)
        {
            case "flip" or "patch":
                scratch.Flip(path, seed % size);
                break;
            case "zero":
                scratch.Zero(path, Install.PieceLength, (int)size - Install.PieceLength);
                break;
            case "truncate":
                scratch.Truncate(path, Install.PieceLength + 5);
                break;
            case "lengthen":
                File.AppendAllText(scratch.At(path), "more");
                break;
            case "delete":
                File.Delete(scratch.At(path));
                break;
            case "mode":
                File.SetUnixFileMode(scratch.At(path), UnixFileMode.UserRead);
                break;
            case "recase":
                Directory.CreateDirectory(Path.GetDirectoryName(scratch.At($"install/{file.ToUpperInvariant()}"))!);
                File.Move(scratch.At(path), scratch.At($"install/{file.ToUpperInvariant()}"));
                break;
            case "folder":
                File.Delete(scratch.At(path));
                scratch.Write($"{path}/inside/old", "old");
                break;
            case "link":
                File.Delete(scratch.At(path));
                File.CreateSymbolicLink(scratch.At(path), "elsewhere");
                break;
            case "file-for-folder":
                if (Directory.Exists(scratch.At("install/deep")))
                    Directory.Delete(scratch.At("install/deep"), recursive: true);
                scratch.Write("install/deep", "a file where a folder belongs");
                break;
        }
    }
}
