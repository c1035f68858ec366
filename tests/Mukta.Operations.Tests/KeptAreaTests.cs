using System.IO.Hashing;
using System.Text;
using System.Text.RegularExpressions;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

public sealed class KeptAreaTests
{
    [Fact]
    public void After_a_crash_at_any_point_every_kind_of_change_is_resumed_undone_and_its_undo_undone() =>
        CrashPoints.ForEach(() => new EveryChangeScene(), changes: 113, undoChanges: 115);

    [Fact]
    public void The_last_line_of_a_killed_run_is_on_the_disk_before_the_next_one_relies_on_it()
    {
        int lastFlush;
        using (var tree = new Tree())
        using (var counting = new ForgettingDisk(0, [tree.Scratch.Root]))
        {
            using (counting.Watching())
                Begin(tree);
            lastFlush = counting.Count;
            counting.Story[^1].ShouldStartWith(nameof(DiskChangeKind.FlushFile));
        }

        using var killed = new Tree();
        using var disk = new ForgettingDisk(lastFlush, [killed.Scratch.Root]);
        using (disk.Watching())
        {
            Should.Throw<Killed>(() => Begin(killed));
            disk.GoOn(0);
            using var folder = Folder.Open(killed.Place);
            using var area = KeptArea.Resume(folder, OperationRecord.In(folder, KeptArea.OfInstall).Single().Path);
            area.Changes.ShouldContain(new StepDone("one") { Number = 0 });
        }

        disk.CutPower(Loss.Everything, 0);
        using var after = Folder.Open(killed.Place);
        OperationRecord.In(after, KeptArea.OfInstall).Single().Changes.OfType<StepDone>().Count().ShouldBe(1);

        static void Begin(Tree tree)
        {
            Directory.CreateDirectory(tree.Scratch.At("place/.mukta"));
            tree.Do(area => area.Note(new StepDone("one")), ends: false);
        }
    }

    [Fact]
    public void Where_changes_are_flushed_only_in_the_end_the_next_run_flushes_all_that_a_killed_one_has_made()
    {
        using var tree = new Tree();
        using var disk = new ForgettingDisk(0, [tree.Scratch.Root]);
        using (disk.Watching())
        using (var folder = Folder.Open(tree.Place))
        {
            using (var area = KeptArea.Begin(folder, KeptArea.OfInstall, Tree.Header(), isLasting: false))
            {
                area.EnsureFolder("first");
                area.EnsureFolder("first/second");
            }

            KeptArea.Resume(folder, OperationRecord.In(folder, KeptArea.OfInstall).Single().Path, isLasting: false).Dispose();
        }

        disk.CutPower(Loss.Everything, 0);
        Directory.Exists(tree.Scratch.At("place/first/second")).ShouldBeTrue();
    }

    [Fact]
    public void What_a_run_has_found_to_be_done_stays_done_though_the_next_one_finishes_the_same_file_again_and_is_killed()
    {
        using var tree = new Tree();
        var before = tree.Look();
        var id = tree.Do(area => area.Place(Staged(tree, "first"), "new"), ends: false);
        Resume(tree, id, area => Staged(tree, "again"));
        Resume(tree, id, area => area.End());
        File.Delete(tree.Scratch.At("place/staged"));
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);

        static string Staged(Tree tree, string text)
        {
            tree.Scratch.Write("place/staged", text);
            return "staged";
        }
    }

    [Fact]
    public void What_was_set_aside_comes_back_though_a_program_made_it_anew_before_the_killed_run_was_gone_on_with()
    {
        using var tree = new Tree();
        var before = tree.Look();
        var id = tree.Do(area => area.SetAside("full"), ends: false);
        tree.Scratch.Write("place/full/one", "by the product");
        Resume(tree, id, area =>
        {
            area.SetAside("full");
            area.End();
        });
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    private static void Resume(Tree tree, string id, Action<KeptArea> act)
    {
        using var folder = Folder.Open(tree.Place);
        using var area = KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{id}");
        act(area);
    }

    [Theory]
    [InlineData(DiskChangeKind.Rename)]
    [InlineData(DiskChangeKind.Exchange)]
    public void A_swap_that_was_interrupted_is_told_apart_though_every_folder_has_another_number_since(DiskChangeKind killedAfter)
    {
        using var tree = new Tree();
        var before = tree.Look();
        bool IsTime(DiskChange c) => c.Kind == killedAfter && c.ToString().Contains("/files/", StringComparison.Ordinal);
        using (new Meanwhile(IsTime, () => throw new Killed()).Watching())
            Should.Throw<Killed>(() => tree.Do(area => area.EmptyFolder("full")));
        var wasSwapped = killedAfter == DiskChangeKind.Exchange;
        File.Exists(tree.Scratch.At("place/full/one")).ShouldBe(!wasSwapped);
        var id = tree.Only.Id;
        using (var folder = Folder.Open(tree.Place))
        {
            ChangeNumber(tree.Journal(id), wasSwapped ? folder.Look("full")!.Value.Inode : 1);
            using var area = KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{id}");
            File.Exists(tree.Scratch.At("place/full/one")).ShouldBe(!wasSwapped);
            if (!wasSwapped)
                area.EmptyFolder("full");
            area.End();
        }

        Directory.EnumerateFileSystemEntries(tree.Scratch.At("place/full")).ShouldBeEmpty();
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    /// <summary>Writes another number of the old folder into a journal.</summary>
    private static void ChangeNumber(string journal, ulong number)
    {
        var sum = 0UL;
        var lines = File.ReadAllLines(journal).Select(l => Regex.Replace(l[17..], "\"inode\":[0-9]+", $"\"inode\":{number}")).Select(json =>
        {
            sum = XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(json), unchecked((long)sum));
            return $"{sum:x16} {json}\n";
        });
        File.WriteAllText(journal, string.Concat(lines));
    }

    [Fact]
    public void A_change_that_fails_is_written_down_as_not_made_and_an_undo_goes_on_without_it()
    {
        using var tree = new Tree();
        var before = tree.Look();
        tree.Do(area =>
        {
            area.SetAside("a");
            Should.Throw<DiskException>(() => area.SetAside("is not there"));
            Should.Throw<DiskException>(() => area.Place("b", "deep"));
            area.SetAside("b");
        });
        tree.Only.Record.NotMade().Count.ShouldBe(2);
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    [Fact]
    public void One_change_of_a_batch_that_fails_keeps_none_of_the_others_from_being_made()
    {
        using var tree = new Tree();
        var before = tree.Look();
        tree.Do(area => area.Do([new SetAside("a"), new SetAside("is not there"), new SetAside("b")]).Select(f => f is null)
            .ShouldBe([true, false, true]));
        tree.Look().Keys.ShouldNotContain("b");
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    [Fact]
    public void A_folder_that_cannot_be_made_with_others_is_written_down_as_not_made_and_says_why_when_it_is_made_by_itself()
    {
        using var tree = new Tree();
        var before = tree.Look();
        tree.Do(area =>
        {
            area.Rename("a", "wide"); // A file where a folder is to be.
            area.MakeMissingFolders(["high/one", "wide/two", "high/three"]);
            Should.Throw<DiskException>(() => area.EnsureFolder("wide/two")).What.ShouldContain("make the folder");
            area.EnsureFolder("high/one");
        });
        Directory.Exists(tree.Scratch.At("place/high/three")).ShouldBeTrue();
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    [Fact]
    public void What_is_not_back_is_said_and_the_same_undo_tries_it_again()
    {
        using var tree = new Tree();
        var before = tree.Look();
        var id = tree.Do(area =>
        {
            area.SetAside("a");
            area.SetAside("b");
            area.SetAside("full");
        });
        var kept = Directory.EnumerateFiles(tree.Scratch.At("place/.mukta/kept", id, "files")).First(f => File.ReadAllText(f) == "b");
        File.Move(kept, tree.Scratch.At("lost"));
        tree.Undo().NotRestored.ShouldHaveSingleItem().Subject.ShouldBe("b");
        File.Exists(tree.Scratch.At("place/a")).ShouldBeTrue("the rest is back");
        tree.Only.State.ShouldBe(OperationState.BeingUndone);

        File.Move(tree.Scratch.At("lost"), kept);
        tree.Undo(id).NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
        tree.Only.State.ShouldBe(OperationState.Undone);
    }

    [Fact]
    public void An_operation_that_another_run_works_on_is_running_and_neither_undone_nor_purged()
    {
        using var tree = new Tree();
        using var folder = Folder.Open(tree.Place);
        using (var area = KeptArea.Begin(folder, KeptArea.OfInstall, Tree.Header()))
        {
            area.SetAside("a");
            tree.Only.State.ShouldBe(OperationState.Running);
            Should.Throw<MuktaException>(() => tree.Undo()).What.ShouldContain("Another run");
            Should.Throw<MuktaException>(() => tree.Catalog.Purge(tree.Only, evenUnfinished: true, TestContext.Current.CancellationToken))
                .What.ShouldContain("running");
        }

        tree.Only.State.ShouldBe(OperationState.Unfinished);
    }

    [Fact]
    public void What_is_unfinished_or_being_undone_is_purged_only_if_that_is_said()
    {
        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"), ends: false);
        Should.Throw<MuktaException>(() => tree.Catalog.Purge(tree.Only, evenUnfinished: false, TestContext.Current.CancellationToken))
            .Next.ShouldContain("--even-unfinished");
        File.Exists(Path.Join(tree.Only.Place, "journal")).ShouldBeTrue();
        tree.Catalog.Purge(tree.Only, evenUnfinished: true, TestContext.Current.CancellationToken);
        tree.Catalog.All([tree.Place], []).ShouldBeEmpty();
    }

    [Fact]
    public void An_install_that_another_run_works_on_is_neither_undone_nor_purged()
    {
        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"));
        using (InstallLock.Take(tree.Place, TimeProvider.System))
        {
            Should.Throw<MuktaException>(() => tree.Undo()).What.ShouldContain("Another run");
            Should.Throw<MuktaException>(() => tree.Catalog.Purge(tree.Only, evenUnfinished: false, TestContext.Current.CancellationToken))
                .What.ShouldContain("Another run");
        }

        tree.Undo().NotRestored.ShouldBeEmpty();
    }

    [Fact]
    public void An_undo_takes_the_operation_as_it_is_when_it_begins_and_not_as_it_was_shown()
    {
        using var tree = new Tree();
        var before = tree.Look();
        var id = tree.Do(area => area.SetAside("a"), ends: false);
        var shown = tree.Catalog.All([tree.Place], []);
        using (var folder = Folder.Open(tree.Place))
        using (var area = KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{id}"))
        {
            area.SetAside("b");
            area.End();
        }

        tree.Catalog.Undo(shown, null, TestContext.Current.CancellationToken).NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }
}
