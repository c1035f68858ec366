using System.Diagnostics;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>Part of the place is on another mount, where nothing can be moved to by a rename.</summary>
public sealed class MountCrashTests
{
    [Fact]
    public void Across_a_mount_inside_the_place_things_are_copied_and_come_back_after_a_crash_at_any_point()
    {
        Need.Root();
        CrashPoints.ForEach(() => new Scene(), changes: 77, undoChanges: 82);
    }

    [Fact]
    public void Each_step_of_a_move_between_two_mounts_is_on_the_disk_before_the_next_one_relies_on_it()
    {
        Need.Root();
        CrashPoints.LosingEverything(() => new Scene(), changes: 77);
    }

    [Fact]
    public void Across_a_mount_inside_the_place_what_a_program_makes_anew_after_a_kill_is_kept()
    {
        Need.Root();
        CrashPoints.MadeAnew(() => new Scene(), changes: 77, undoChanges: 82, "caches/one", "caches/in/two");
    }

    [Fact]
    public void Across_a_mount_inside_the_place_the_original_stays_if_programs_have_made_both_names_anew()
    {
        Need.Root();
        using var scene = new Scene();
        bool IsCopied(DiskChange c) => c.Kind == DiskChangeKind.Rename && c.Path.EndsWith("/place/a", StringComparison.Ordinal)
            && c.Other!.Contains("copied", StringComparison.Ordinal);
        using (new Meanwhile(IsCopied, () => throw new Killed()).Watching())
            Should.Throw<Killed>(scene.Run);
        string[] names = [Path.Join(scene.Roots[1], "place/a"), Path.Join(scene.Roots[0], "a")];
        foreach (var name in names)
            File.WriteAllText(name, $"by a program: {name}");
        for (var i = 0; i < 3; i++)
            Should.Throw<DiskException>(scene.Run); // Somebody has to move the original back.
        var contents = Directory.EnumerateFiles(Path.Join(scene.Roots[1], "place"), "*", SearchOption.AllDirectories)
            .Select(File.ReadAllText).ToList();
        contents.ShouldContain("a");
        foreach (var name in names)
            contents.ShouldContain($"by a program: {name}");
    }

    /// <summary>A tree with a folder of another mount in it, between which things are moved.</summary>
    private sealed class Scene : ICrashScene
    {
        private readonly Tree tree = new();
        private readonly Scratch other = new(inMemory: true);

        public Scene()
        {
            other.Write("disk/caches/one", "1");
            other.Write("disk/caches/in/two", "2");
            Directory.CreateDirectory(tree.Scratch.At("place/mounted"));
            Mount("mount", "--bind", other.Root, tree.Scratch.At("place/mounted"));
        }

        public IReadOnlyList<string> Roots => [tree.Scratch.At("place/mounted/disk"), tree.Scratch.Root];

        public List<string> Look() => [.. tree.Look().Select(f => $"{f}")];

        public void Run()
        {
            using var folder = Folder.Open(tree.Place);
            folder.EnsureFolder(OwnFolder.Name, isLasting: true);
            var left = OperationRecord.In(folder, KeptArea.OfInstall).LastOrDefault(r => !r.IsEnded);
            using var area = left is null ? KeptArea.Begin(folder, KeptArea.OfInstall, Tree.Header()) : KeptArea.Resume(folder, left.Path);
            if (folder.Look("mounted/disk/caches") is not null)
                area.SetAside("mounted/disk/caches");
            if (folder.Look("a") is not null)
                area.Rename("a", "mounted/disk/a");
            area.End();
        }

        public void Check(string after)
        {
            Directory.EnumerateFileSystemEntries(Roots[0]).Select(Path.GetFileName).ShouldBe(["a"], after);
            File.Exists(tree.Scratch.At("place/a")).ShouldBeFalse(after);
        }

        public void Undo() => Undo(o => o.Record.Header.Undoes is null);

        public void UndoTheUndo() => Undo(o => o.Record.Header.Undoes is not null);

        public void Dispose()
        {
            Mount("umount", tree.Scratch.At("place/mounted"));
            tree.Dispose();
            other.Dispose();
        }

        private void Undo(Func<KeptOperation, bool> which)
        {
            foreach (var one in tree.Catalog.All([tree.Place], []).Where(o => which(o) && o.State != OperationState.Undone).Reverse())
                tree.Undo(one.Id).NotRestored.ShouldBeEmpty();
        }

        private static void Mount(string program, params string[] arguments)
        {
            using var process = Process.Start(program, arguments);
            process.WaitForExit();
            process.ExitCode.ShouldBe(0);
        }
    }
}
