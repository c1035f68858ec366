using System.Diagnostics;
using System.Text;
using Mukta.Host.Processes;
using Mukta.Tests;

namespace Mukta.Core.Tests.Host;

public class ProcessTests
{
    [Fact]
    public async Task A_number_that_was_given_out_again_is_not_hit()
    {
        using var other = Process.Start("sleep", "600");
        var table = new ProcessTable();
        var start = table.StartTicks(other.Id)!.Value;
        var gone = new RunningProcess(other.Id, "game", 0, DateTimeOffset.UnixEpoch, start - 1, ["it was there"]);
        var ended = await new ProcessEnder(table, TimeProvider.System)
            .EndAsync([gone], TimeSpan.FromSeconds(1), force: true, null, TestContext.Current.CancellationToken);
        ended.ShouldHaveSingleItem().IsGone.ShouldBeTrue("the one that was meant has ended");
        other.HasExited.ShouldBeFalse("the one that has its number now lives");
        other.Kill();
    }

    [Fact]
    public void The_first_process_and_mukta_itself_are_untouchable()
    {
        var ender = new ProcessEnder(new ProcessTable(), TimeProvider.System);
        ender.Untouchable(new RunningProcess(1, "init", 0, default, 0, ["x"])).ShouldNotBeNull();
        ender.Untouchable(new RunningProcess(Environment.ProcessId, "self", 0, default, 0, ["x"])).ShouldNotBeNull();
        ender.Untouchable(new RunningProcess(int.MaxValue, "other", 0, default, 0, ["x"])).ShouldBeNull();
    }

    [Fact]
    public async Task One_that_does_not_end_when_it_is_asked_to_is_killed_only_if_that_is_said()
    {
        using var stubborn = Process.Start(
            new ProcessStartInfo("sh", ["-c", "trap '' TERM; echo ready; while :; do sleep 1; done"]) { RedirectStandardOutput = true })!;
        (await stubborn.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken)).ShouldBe("ready");
        var table = new ProcessTable();
        var process = new RunningProcess(stubborn.Id, "sh", 0, default, table.StartTicks(stubborn.Id)!.Value, ["it uses the install"]);
        var ender = new ProcessEnder(table, TimeProvider.System);
        Task<IReadOnlyList<EndedProcess>> EndAsync(bool force) => ender.EndAsync(
            [process], TimeSpan.FromMilliseconds(300), force, null, TestContext.Current.CancellationToken);
        (await EndAsync(force: false)).ShouldHaveSingleItem().Reason.ShouldBe("does not end when it is asked to");
        stubborn.HasExited.ShouldBeFalse();
        (await EndAsync(force: true)).ShouldHaveSingleItem().IsGone.ShouldBeTrue();
    }

    [Fact]
    public async Task Mukta_does_not_end_itself()
    {
        var table = new ProcessTable();
        var self = new RunningProcess(
            Environment.ProcessId, "self", 0, default, table.StartTicks(Environment.ProcessId)!.Value, ["it uses the install"]);
        var ended = await new ProcessEnder(table, TimeProvider.System)
            .EndAsync([self], TimeSpan.Zero, force: false, null, TestContext.Current.CancellationToken);
        ended.ShouldHaveSingleItem().ShouldSatisfyAllConditions(e => e.IsGone.ShouldBeFalse(), e => e.Reason.ShouldBe("is mukta itself"));
    }

    [Fact]
    public void A_proc_that_changes_while_it_is_read_costs_only_what_is_gone()
    {
        using var scratch = new Scratch();
        scratch.Write("proc/stat", "cpu 1\nbtime 1790000000\n");
        var fields = string.Join(' ', Enumerable.Repeat("0", 18));
        scratch.Write("proc/100/stat", $"100 (a) name) S {fields} 500 0");
        scratch.Write("proc/100/comm", "a) name\n");
        scratch.Write("proc/100/cmdline", "/games/pier/bin/game\0-x\0");
        scratch.Write("proc/100/status", "Name:\ta\nUid:\t1000\t1000\n");
        File.CreateSymbolicLink(scratch.At("proc/100/exe"), "/games/pier/bin/game (deleted)");
        scratch.Write("proc/200/stat", "200 (half");
        Directory.CreateDirectory(scratch.At("proc/300"));
        scratch.Write("proc/400/stat", $"400 (zombie) Z {fields} 500 0");
        var found = new ProcessTable(scratch.At("proc")).Using(["/games/pier"], []).Running.ShouldHaveSingleItem();
        (found.Pid, found.Name, found.Owner, found.Reasons[0]).ShouldBe((100, "a) name", 1000u, "runs bin/game"));
        found.Since.ShouldBe(DateTimeOffset.FromUnixTimeSeconds(1790000005));
        new ProcessTable(scratch.At("proc")).Using(["/games/pi"], [])
            .Running.ShouldBeEmpty("a name that only begins alike is another folder");
        new ProcessTable(scratch.At("proc")).Using(["/elsewhere"], ["game"]).Running.ShouldHaveSingleItem()
            .Reasons.ShouldBe(["named in the profile as game"]);
    }

    [Fact]
    public void A_file_that_is_mapped_counts_whatever_bytes_its_name_has()
    {
        using var scratch = new Scratch();
        scratch.Write("proc/stat", "cpu 1\nbtime 1790000000\n");
        scratch.Write("proc/100/stat", $"100 (a) S {string.Join(' ', Enumerable.Repeat("0", 18))} 500 0");
        scratch.Write("proc/100/comm", "a\n");
        scratch.Write("proc/100/cmdline", "a\0");
        scratch.Write("proc/100/status", "Name:\ta\nUid:\t1000\t1000\n");
        var lines = string.Concat(Enumerable.Repeat("7f00-7f01 r--p 00000000 fe:00 7    /usr/lib/libother.so /games/x\n", 3000));
        File.WriteAllBytes(
            scratch.At("proc/100/maps"),
            [.. Encoding.UTF8.GetBytes($"{lines}7f00-7f01 rw-p 00000000 00:00 0 \n7f00-7f01 r-xp 00000000 fe:00 8    /games/p"), 0xff,
                .. Encoding.UTF8.GetBytes("r/lib a.so\n7f00-7f01 r--p 00001000 fe:00 8    /games/p"), 0xff, .. Encoding.UTF8.GetBytes("r/lib a.so\n")]);
        new ProcessTable(scratch.At("proc")).Using([$"/games/p\udcffr"], []).Running.ShouldHaveSingleItem().Reasons
            .ShouldBe(["it has lib a.so mapped"]);
        new ProcessTable(scratch.At("proc")).Using(["/elsewhere"], []).Running.ShouldBeEmpty();
        new ProcessTable(scratch.At("proc")).Using(["/games"], []).Running.ShouldHaveSingleItem().Reasons.ShouldHaveSingleItem();
    }

    [Fact]
    public void Who_looks_into_Muktas_own_folders_is_not_the_product_but_who_has_a_kept_file_open_may_be()
    {
        using var scratch = new Scratch();
        scratch.Write("pier/.mukta/kept/1/pier.pak", "map");
        scratch.Write("pier/maps/pier.pak", "map");
        using var watcher = Holding(scratch, "pier/.mukta", "pier/.mukta/kept/1");
        using var player = Holding(scratch, "pier/.mukta/kept/1/pier.pak");
        using var lister = Holding(scratch, "pier/maps");
        new ProcessTable().Using([scratch.At("pier")], []).Running.Select(r => (r.Pid, r.Reasons[0])).Order()
            .ShouldBe(new[] { (player.Id, "it has .mukta/kept/1/pier.pak open"), (lister.Id, "it has maps open") }.Order());
        foreach (var process in (Process[])[watcher, player, lister])
            process.Kill();
    }

    [Fact]
    public void Another_run_of_mukta_is_not_taken_for_the_product()
    {
        using var scratch = new Scratch();
        scratch.Write("pier/maps/pier.pak", "map");
        scratch.Write("pier/.mukta/lock", "");
        using var reader = Holding(scratch, "pier/maps/pier.pak");
        using var other = Holding(scratch, "pier/maps/pier.pak", "pier/.mukta/lock");
        new ProcessTable().Using([scratch.At("pier")], []).Running.ShouldHaveSingleItem().Pid.ShouldBe(reader.Id);
        reader.Kill();
        other.Kill();
    }

    /// <summary>A process that has these files and folders open.</summary>
    private static Process Holding(Scratch scratch, params string[] paths)
    {
        var process = Process.Start(
            "bash", ["-c", string.Concat(paths.Select((p, i) => $"exec {7 + i}< '{scratch.At(p)}'; "))
                + $"touch '{scratch.At("ready-")}'$$; exec sleep 60"]);
        var seen = new ProcessTable();
        SpinWait.SpinUntil(
            () => File.Exists(scratch.At($"ready-{process.Id}")) && seen.OpenedBy(process.Id).Any(f => f.Path == scratch.At(paths[0])),
            TimeSpan.FromSeconds(20)).ShouldBeTrue();
        return process;
    }
}
