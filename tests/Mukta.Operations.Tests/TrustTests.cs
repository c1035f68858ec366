using System.Diagnostics;
using Mukta.Disk;
using Mukta.Tests;

namespace Mukta.Operations.Tests;

/// <summary>Somebody who may write in a folder writes a journal for a user, or for root, to undo.</summary>
public sealed class TrustTests
{
    [Theory]
    [InlineData("link")]
    [InlineData("pipe")]
    [InlineData("second name")]
    [InlineData("linked folder")]
    public void A_journal_that_is_no_file_of_its_own_is_refused_by_name(string kind)
    {
        using var tree = new Tree();
        var id = tree.Do(area => area.SetAside("a"));
        var (journal, elsewhere) = (tree.Journal(id), tree.Scratch.At("elsewhere"));
        switch (kind)
        {
            case "link":
                File.Move(journal, elsewhere);
                File.CreateSymbolicLink(journal, elsewhere);
                break;
            case "pipe":
                File.Delete(journal);
                Run("mkfifo", journal);
                break;
            case "second name":
                Run("ln", journal, elsewhere);
                break;
            default:
                Directory.Move(Path.GetDirectoryName(journal)!, elsewhere);
                Directory.CreateSymbolicLink(Path.GetDirectoryName(journal)!, elsewhere);
                break;
        }

        var before = tree.Look();
        var catalog = tree.Catalog;
        catalog.All([tree.Place], []).ShouldBeEmpty();
        if (kind != "linked folder")
        {
            catalog.Faults.ShouldHaveSingleItem()
                .ShouldSatisfyAllConditions(f => f.Code.ShouldBe(ExitCode.NotTrusted), f => f.Where.ShouldBe(journal));
        }

        tree.Look().ShouldBe(before);
    }

    [Theory]
    [InlineData("../outside/canary", true)]
    [InlineData("/etc/canary", true)]
    [InlineData("deep/../../outside/canary", true)]
    [InlineData("way/canary", false)]
    public void A_journal_in_an_install_changes_nothing_outside_of_it(string path, bool isRefused)
    {
        using var tree = new Tree();
        tree.Scratch.Write("outside/canary", "alive");
        Directory.CreateSymbolicLink(tree.Scratch.At("place/way"), tree.Scratch.At("outside"));
        tree.Do(area => area.SetAside("a"));
        Forge(tree,
            [new SetAside("a"), new Placed(path, "b"), new ModeSet(path, "0777", "0777"), new Renamed(path, "b"), new Ended()], "evil");
        var all = tree.Catalog.All([tree.Place], []);
        tree.Catalog.Faults.Select(f => f.Code).ShouldBe(isRefused ? [ExitCode.NotTrusted] : []);
        if (!isRefused)
            tree.Catalog.Undo([.. all.Where(o => o.Record.Header.Command == "evil")], null, TestContext.Current.CancellationToken);
        File.ReadAllText(tree.Scratch.At("outside/canary")).ShouldBe("alive");
        File.GetUnixFileMode(tree.Scratch.At("outside/canary")).ShouldBe(Scratch.Usual);
    }

    [Fact]
    public void Root_undoes_a_users_journal_with_the_users_rights()
    {
        Need.Root();
        using var tree = new Tree();
        Directory.CreateDirectory(tree.Scratch.At("place/roots"));
        tree.Scratch.Write("place/roots/canary", "alive");
        File.SetUnixFileMode(tree.Scratch.At("place/roots"), (UnixFileMode)0b111_101_101);
        tree.Do(area => area.SetAside("a"));
        Forge(tree,
            [new SetAside("roots/canary"), new Placed("roots/canary", "b"), new ModeSet("roots/canary", "0777", "0777"),
            new FolderRemoved("roots/made", "0777", 1234, 1234, 0), new Ended()], "evil");
        Run("chown", "-R", "1234:1234", tree.Place);
        Run("chown", "-R", "0:0", tree.Scratch.At("place/roots"));
        File.SetUnixFileMode(tree.Scratch.Root, (UnixFileMode)0b111_101_101);

        var all = tree.Catalog.All([tree.Place], []);
        var outcome = tree.Catalog.Undo(
            [.. all.Where(o => o.Record.Header.Command == "evil")], null, TestContext.Current.CancellationToken);
        outcome.NotRestored.ShouldNotBeEmpty();
        File.ReadAllText(tree.Scratch.At("place/roots/canary")).ShouldBe("alive");
        File.GetUnixFileMode(tree.Scratch.At("place/roots/canary")).ShouldBe(Scratch.Usual);
        Directory.Exists(tree.Scratch.At("place/roots/made")).ShouldBeFalse();
        File.ReadAllText("/proc/self/status").ShouldContain("Uid:\t0\t0\t0\t0", Case.Sensitive, "root is root again");
    }

    [Fact]
    public void An_undo_that_a_journal_elsewhere_calls_like_another_operation_does_not_take_that_ones_journal()
    {
        using Tree one = new(), two = new();
        var header = Tree.Header();
        one.Do(area => area.SetAside("a"), header: header);
        two.Do(area => area.SetAside("a"), header: header);
        var other = two.Do(area => area.SetAside("b"));
        one.Do(_ => { }, ends: false, header: Tree.Header("undo") with { Operation = other, Undoes = header.Operation });
        var journal = File.ReadAllText(two.Journal(other));
        two.Catalog.Undo(
            [.. two.Catalog.All([one.Place, two.Place], []).Where(o => o.Id == header.Operation)], null,
            TestContext.Current.CancellationToken).NotRestored.ShouldBeEmpty();
        File.ReadAllText(two.Journal(other)).ShouldBe(journal);
        two.Undo(other).NotRestored.ShouldBeEmpty();
        File.ReadAllText(two.Scratch.At("place/b")).ShouldBe("b");
    }

    [Fact]
    public void A_service_in_an_installs_own_journal_is_left_as_it_is()
    {
        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"));
        Forge(tree, [new ServiceChanged("sshd.service", "masked", "inactive"), new Ended()], "evil");
        var services = new Recorder();
        var catalog = new OperationCatalog(new OperationHome("/", SharedState.Folder), TimeProvider.System, services);
        var outcome = catalog.Undo(
            [.. catalog.All([tree.Place], []).Where(o => o.Record.Header.Command == "evil")], null, TestContext.Current.CancellationToken);
        outcome.NotRestored.ShouldHaveSingleItem().Subject.ShouldBe("sshd.service");
        services.Restored.ShouldBeEmpty();
    }

    [Fact]
    public void A_journal_starts_programs_only_as_the_user_who_wrote_it()
    {
        Need.Root();
        using var scratch = new Scratch();
        File.SetUnixFileMode(scratch.Root, (UnixFileMode)0b111_101_101);
        var home = new OperationHome("/", scratch.At("state"));
        var system = new Recorder();
        IReadOnlyList<string> Undone(uint owner, uint user)
        {
            using (var operation = Operation.Open(home, Tree.Header("stop"), "stop", null))
            {
                operation.Main.Note(new ProcessStopped("/bin/gull", ["gull"], "/", [], user, user));
                operation.End();
            }

            Run("chown", "-R", $"{owner}:{owner}", scratch.At("state"));
            system.Restored.Clear();
            var catalog = new OperationCatalog(home, TimeProvider.System, system);
            var all = catalog.All([], []).Where(o => o.State == OperationState.Done && o.Record.Header.Undoes is null).ToList();
            var outcome = catalog.Undo(all, null, TestContext.Current.CancellationToken);
            outcome.NotRestored.Count.ShouldBe(1 - system.Restored.Count);
            Directory.Delete(scratch.At("state"), recursive: true);
            return [.. system.Restored];
        }

        Undone(owner: 1234, user: 0).ShouldBeEmpty("a user does not decide what root runs");
        Undone(owner: 1234, user: 1235).ShouldBeEmpty();
        Undone(owner: 1234, user: 1234).ShouldBe(["/bin/gull"]);
        Undone(owner: 0, user: 1234).ShouldBe(["/bin/gull"]);

        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"));
        Forge(tree, [new ProcessStopped("/bin/gull", ["gull"], "/", [], 0, 0), new Ended()], "evil");
        system.Restored.Clear();
        var inInstall = new OperationCatalog(new OperationHome("/", SharedState.Folder), TimeProvider.System, system);
        inInstall.Undo(
            [.. inInstall.All([tree.Place], []).Where(o => o.Record.Header.Command == "evil")], null, TestContext.Current.CancellationToken)
            .NotRestored.ShouldHaveSingleItem().Subject.ShouldBe("/bin/gull");
        system.Restored.ShouldBeEmpty();
    }

    [Fact]
    public void A_user_is_not_led_by_another_users_journal()
    {
        Need.Root();
        Need.Program("setpriv");
        using var tree = new Tree();
        tree.Do(area => area.SetAside("a"));
        Run("chown", "-R", "1234:1234", tree.Scratch.At("place/.mukta"));
        using var folder = Folder.Open(tree.Place);
        var node = folder.Look($"{tree.Only.Record.Path}/journal")!.Value;
        node.User.ShouldBe(1234u);
        JournalTrust.IsBelieved(node.User, asUser: 1000, around: [1000]).ShouldBeFalse();
        JournalTrust.IsBelieved(node.User, asUser: 1234, around: [1000]).ShouldBeTrue("it is one's own");
        JournalTrust.IsBelieved(node.User, asUser: 1000, around: [1234])
            .ShouldBeTrue("the folder's owner may change everything in it anyway");
        JournalTrust.IsBelieved(0, asUser: 1000, around: [1000]).ShouldBeTrue();
    }

    /// <summary>Writes a journal as somebody would who knows the format.</summary>
    private static void Forge(Tree tree, Change[] changes, string command)
    {
        var header = Tree.Header(command, sequence: 99);
        var folder = tree.Scratch.At("place/.mukta/kept", header.Operation);
        Directory.CreateDirectory(Path.Join(folder, "files"));
        var (first, sum) = OperationRecord.Summed(OperationRecord.Line(header), 0);
        var (second, _) = OperationRecord.Summed(OperationRecord.Line(changes), sum);
        File.WriteAllBytes(Path.Join(folder, "journal"), [.. first, .. second]);
        for (var i = 0; i < changes.Length; i++)
            File.WriteAllText(Path.Join(folder, "files", $"{i}"), "forged");
    }

    private static void Run(string program, params string[] arguments)
    {
        using var process = Process.Start(program, arguments);
        process.WaitForExit();
        process.ExitCode.ShouldBe(0);
    }

    private sealed class Recorder : ISystemUndo
    {
        public List<string> Restored { get; } = [];

        public bool MayRestore(string unit) => true;

        public ServiceChanged Now(string unit) => new(unit, "enabled", "active");

        public void Restore(ServiceChanged before) => Restored.Add(before.Unit);

        public void Start(ProcessStopped stopped) => Restored.Add(stopped.Program);
    }
}
