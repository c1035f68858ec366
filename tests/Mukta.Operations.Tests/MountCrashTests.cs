using System.Diagnostics;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>Part of the place is on another mount, where nothing can be moved to by a rename.</summary>
public sealed class MountCrashTests
{
    [Fact]
    public void Across_a_mount_inside_the_place_things_are_copied_and_come_back()
    {
        Need.Root();
        using var mounted = new MountedTree();
        var before = mounted.Tree.Look();
        mounted.Tree.Do(area =>
        {
            area.SetAside("mounted/caches/one");
            Change(mounted.Tree, area);
        });
        mounted.Names.ShouldBe(["a"]);
        mounted.Tree.Undo().NotRestored.ShouldBeEmpty();
        mounted.Tree.Look().ShouldBe(before);
    }

    [Theory]
    [InlineData(false)]
    [InlineData(true)]
    public void After_a_kill_at_any_point_everything_comes_back_and_what_a_program_made_anew_is_kept(bool isMadeAnew)
    {
        Need.Root();
        var (step, kills) = (Sample.IsAll ? 1 : 7, 0);
        for (var (point, isKilled) = (1 + (Sample.Printed() % step), true); isKilled; point += step)
        {
            using var mounted = new MountedTree();
            var (tree, before, after) = (mounted.Tree, mounted.Tree.Look(), $"killed at {point}");
            Directory.CreateDirectory(tree.Scratch.At("place/.mukta"));
            using (var disk = new ForgettingDisk(point, [tree.Scratch.Root]))
            using (disk.Watching())
                isKilled = IsKilled(() => tree.Do(area => Change(tree, area)));
            kills += isKilled ? 1 : 0;
            var anew = isMadeAnew && !Directory.Exists(tree.Scratch.At("place/mounted/caches"));
            if (anew)
                tree.Scratch.Write("place/mounted/caches/one", "by the product");
            foreach (var begun in tree.Catalog.All([tree.Place], []).Where(o => o.State == OperationState.Unfinished))
            {
                using var folder = Folder.Open(tree.Place);
                using var area = KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{begun.Id}");
                Change(tree, area);
                area.End();
                mounted.Names.ShouldBe(["a"], after);
            }

            foreach (var done in tree.Catalog.All([tree.Place], []))
                tree.Undo(done.Id).NotRestored.ShouldBeEmpty(after);
            tree.Look().ShouldBe(before, after);
            if (anew)
                Directory.EnumerateFiles(tree.Place, "*", SearchOption.AllDirectories).Select(File.ReadAllText)
                    .ShouldContain("by the product", after);
        }

        kills.ShouldBeGreaterThan(49 / step);
    }

    private static void Change(Tree tree, KeptArea area)
    {
        if (Directory.Exists(tree.Scratch.At("place/mounted/caches")))
            area.SetAside("mounted/caches");
        if (File.Exists(tree.Scratch.At("place/a")))
            area.Rename("a", "mounted/a");
    }

    private static bool IsKilled(Action act)
    {
        try
        {
            act();
            return false;
        }
        catch (Killed)
        {
            return true;
        }
    }

    /// <summary>A tree with a folder of another disk in it.</summary>
    private sealed class MountedTree : IDisposable
    {
        private readonly Scratch other = new(inMemory: false);

        public MountedTree()
        {
            other.Write("caches/one", "1");
            other.Write("caches/in/two", "2");
            Directory.CreateDirectory(Tree.Scratch.At("place/mounted"));
            Run("mount", "--bind", other.Root, Tree.Scratch.At("place/mounted"));
        }

        public Tree Tree { get; } = new(inMemory: false);

        public IEnumerable<string?> Names => Directory.EnumerateFileSystemEntries(other.Root).Select(Path.GetFileName);

        public void Dispose()
        {
            Run("umount", Tree.Scratch.At("place/mounted"));
            Tree.Dispose();
            other.Dispose();
        }

        private static void Run(string program, params string[] arguments)
        {
            using var process = Process.Start(program, arguments);
            process.WaitForExit();
            process.ExitCode.ShouldBe(0);
        }
    }
}
