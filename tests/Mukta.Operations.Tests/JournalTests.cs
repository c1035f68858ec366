using System.Text;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

public sealed class JournalTests
{
    [Fact]
    public void A_journal_with_the_highest_number_does_not_make_later_operations_count_as_earlier_ones()
    {
        using var tree = new Tree();
        var home = new OperationHome("/", tree.Scratch.At("state"));
        var before = OperationSequence.Next(home, []);
        tree.Do(_ => { }, header: Tree.Header(sequence: long.MaxValue));
        OperationSequence.Next(home, [tree.Only.Record]).ShouldBeGreaterThan(before);
        OperationSequence.Next(home, []).ShouldBeGreaterThan(before);
    }

    [Fact]
    public void A_journal_that_is_there_is_never_begun_again()
    {
        using var tree = new Tree();
        var header = Tree.Header();
        var id = tree.Do(area => area.SetAside("a"), header: header);
        var journal = File.ReadAllText(tree.Journal(id));
        Should.Throw<DiskException>(() => tree.Do(area => area.SetAside("b"), header: header)).Errno.ShouldBe(DiskException.Exists);
        File.ReadAllText(tree.Journal(id)).ShouldBe(journal);
    }

    [Theory]
    [InlineData(0)]
    [InlineData(5000)]
    public void A_last_line_that_was_cut_short_does_not_count_and_the_operation_goes_on_behind_the_one_before(int more)
    {
        using var tree = new Tree();
        var before = tree.Look();
        var id = tree.Do(area => area.SetAside("a"), ends: false);
        File.AppendAllText(tree.Journal(id), "0123456789abcdef [{\"change\":\"set-as" + new string('i', more));
        using (var folder = Folder.Open(tree.Place))
        using (var area = KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{id}"))
        {
            area.SetAside("b");
            area.End();
        }

        tree.Only.State.ShouldBe(OperationState.Done);
        File.ReadAllText(tree.Journal(id)).ShouldEndWith("\n", customMessage: "what was cut short is gone");
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    [Fact]
    public void A_line_that_cannot_be_flushed_leaves_nothing_behind_a_shorter_one_that_follows()
    {
        using var tree = new Tree();
        var before = tree.Look();
        tree.Do(area =>
        {
            using (new FailsToFlush().Watching())
                Should.Throw<DiskException>(() => area.Do([new SetAside("a"), .. Enumerable.Range(0, 30).Select(i => new SetAside($"c{i}"))]));
            area.SetAside("b");
        });
        File.Exists(tree.Scratch.At("place/a")).ShouldBeTrue("nothing of what was not written down is done");
        tree.Only.State.ShouldBe(OperationState.Done);
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look().ShouldBe(before);
    }

    [Fact]
    public void Blocks_that_a_loss_of_power_has_left_unwritten_do_not_count_either()
    {
        using var tree = new Tree();
        var id = tree.Do(area => area.SetAside("a"), ends: false);
        using (var file = File.OpenWrite(tree.Journal(id)))
        {
            file.Seek(0, SeekOrigin.End);
            file.Write(new byte[5000]);
            file.Write("garbage\n"u8);
        }

        tree.Only.State.ShouldBe(OperationState.Unfinished);
        tree.Undo().NotRestored.ShouldBeEmpty();
        File.ReadAllText(tree.Scratch.At("place/a")).ShouldBe("a");
    }

    [Theory]
    [InlineData(0)]
    [InlineData(1)]
    [InlineData(2)]
    public void A_damaged_line_is_named_and_nothing_of_the_operation_is_touched(int line)
    {
        using var tree = new Tree();
        var id = tree.Do(area =>
        {
            area.SetAside("a");
            area.SetAside("b");
        });
        var lines = File.ReadAllLines(tree.Journal(id));
        lines[line] = lines[line][..^4] + "x" + lines[line][^3..];
        File.WriteAllText(tree.Journal(id), string.Join('\n', lines) + "\n");
        var (before, bytes) = (tree.Look(), File.ReadAllBytes(tree.Journal(id)));

        var catalog = tree.Catalog;
        catalog.All([tree.Place], []).ShouldBeEmpty();
        var fault = catalog.Faults.ShouldHaveSingleItem();
        fault.What.ShouldContain($"Line {line + 1} ");
        fault.Where.ShouldBe(tree.Journal(id));
        using (var folder = Folder.Open(tree.Place))
            Should.Throw<JournalFault>(() => KeptArea.Resume(folder, $"{KeptArea.OfInstall}/{id}"));
        tree.Look().ShouldBe(before);
        File.ReadAllBytes(tree.Journal(id)).ShouldBe(bytes, "a journal is never cut");
    }

    [Fact]
    public void A_line_that_is_missing_from_the_middle_is_noticed()
    {
        using var tree = new Tree();
        var id = tree.Do(area =>
        {
            area.SetAside("a");
            area.SetAside("b");
        });
        var lines = File.ReadAllLines(tree.Journal(id));
        File.WriteAllText(tree.Journal(id), string.Join('\n', lines.Where((_, i) => i != 1)) + "\n");
        var catalog = tree.Catalog;
        catalog.All([tree.Place], []).ShouldBeEmpty();
        catalog.Faults.ShouldHaveSingleItem().What.ShouldContain("Line 2 ");
    }

    [Fact]
    public void Names_that_are_no_UTF_8_come_back_as_they_were()
    {
        using var tree = new Tree();
        var odd = PathBytes.Decode(Encoding.Latin1.GetBytes("café.sav"));
        using var folder = Folder.Open(tree.Place);
        using (var file = folder.CreateFile(odd, 0b110_100_100))
            file.Write("latin"u8, 0);
        folder.MakeFolder(odd + ".d", 0b111_101_101);
        folder.Move(odd, $"{odd}.d/{odd}");
        tree.Do(area =>
        {
            area.SetAside($"{odd}.d/{odd}");
            area.Rename($"{odd}.d", "plain");
        });
        folder.Look($"{odd}.d").ShouldBeNull();
        tree.Undo().NotRestored.ShouldBeEmpty();
        folder.Look($"{odd}.d/{odd}")!.Value.Size.ShouldBe(5);
    }

    [Fact]
    public void A_name_of_255_bytes_can_be_replaced_patched_and_brought_back()
    {
        using var tree = new Tree();
        var name = new string('n', 255);
        tree.Scratch.Write($"place/{name}", "old and long");
        tree.Scratch.Write("place/new", "NEW");
        var before = tree.Look();
        tree.Do(area =>
        {
            area.Do(new Patched(name, 0, 3, "new", 0, 0));
            area.Replace("new", name);
        });
        File.ReadAllText(tree.Scratch.At("place", name)).ShouldBe("NEW");
        tree.Undo().NotRestored.ShouldBeEmpty();
        tree.Look()
            .ShouldBe(new SortedDictionary<string, string>(before.Where(b => b.Key != "new").ToDictionary(), StringComparer.Ordinal));
    }

    [Fact]
    public void Which_operation_is_the_last_does_not_depend_on_the_clock()
    {
        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"), header: Tree.Header(sequence: 1));
        var later = tree.Do(area => area.SetAside("b"), header: Tree.Header(sequence: 2, time: new LongBefore()));
        tree.Catalog.All([tree.Place], [])[^1].Id.ShouldBe(later);
    }

    [Fact]
    public void Numbers_of_operations_only_grow_even_if_what_counts_them_is_lost()
    {
        using var scratch = new Scratch(inMemory: true);
        var home = new OperationHome("/", scratch.Root);
        OperationSequence.Next(home, []).ShouldBe(1);
        OperationSequence.Next(home, []).ShouldBe(2);
        File.WriteAllText(scratch.At("mukta/sequence"), "rubbish");
        OperationSequence.Next(home, []).ShouldBe(1);
        OperationSequence.Next(home, [new OperationRecord("x", Tree.Header(sequence: 41), [])]).ShouldBe(42);
        OperationSequence.Next(home, []).ShouldBe(43);
    }

    [Fact]
    public void Every_kind_of_change_is_read_as_it_was_written_with_only_its_own_members()
    {
        Change[] changes =
        [
            new SetAside("a"), new CopyKept("a", "b"), new Placed("a", "b"), new Replaced("a", "b"), new Swapped("a", "b", 7),
            new Patched("a", 1, 2, "b", 3, 4), new Renamed("a", "b") { Inode = 5 },
            new ModeSet("a", "0644", "0755"), new FolderMade("a"), new FolderRemoved("a", "0755", 1, 2, 3), new FolderTime("a", 1),
            new ServiceChanged("u", "enabled", "active"),
            new ProcessStopped("/p", ["p", "-a"], "/", ["HOME=/h"], 1, 2), new ProcessStarted("/p"),
            new StepDone("s", 4), new Noted("k", "t", "o"), new AreaUsed("p"), new WaitsForRestart("b"), new NotDone(1, "r"),
            new Settled(), new LeftBehind(1, "r"), new Ended(), new Undone("by"),
        ];
        typeof(Change).GetCustomAttributes(typeof(System.Text.Json.Serialization.JsonDerivedTypeAttribute), false)
            .Length.ShouldBe(changes.Length, "a kind is missing here");
        var read = Read([.. changes]);
        read.ShouldBe(changes.Select((c, i) => c with { Number = i }));
        Encoding.UTF8.GetString(OperationRecord.Line([new SetAside("a")])).ShouldBe("""[{"change":"set-aside","path":"a"}]""");
    }

    private static IReadOnlyList<Change> Read(Change[] changes)
    {
        var header = Tree.Header();
        var (first, sum) = OperationRecord.Summed(OperationRecord.Line(header), 0);
        var (second, _) = OperationRecord.Summed(OperationRecord.Line(changes), sum);
        return OperationRecord.Parse($"kept/{header.Operation}", "journal", new MemoryStream([.. first, .. second]))!.Changes;
    }

    private sealed class LongBefore : TimeProvider
    {
        public override DateTimeOffset GetUtcNow() => new(2001, 1, 1, 0, 0, 0, TimeSpan.Zero);
    }

    /// <summary>A disk that cannot flush a file, once.</summary>
    private sealed class FailsToFlush : DiskWatch
    {
        private bool hasFailed;

        public override void Before(DiskChange change)
        {
            if (hasFailed || change.Kind != DiskChangeKind.FlushFile)
                return;
            hasFailed = true;
            throw new DiskException(DiskException.InputOutput, "flush", "a journal");
        }
    }
}
