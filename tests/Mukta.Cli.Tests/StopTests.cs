using System.Diagnostics;

namespace Mukta.Cli.Tests;

/// <summary>Rule 5: nothing is touched while the product runs. The product is a copy of a real program, run from the install.</summary>
public class StopTests
{
    [Fact]
    public async Task A_repair_refuses_while_the_game_runs_names_it_and_goes_on_once_it_is_stopped()
    {
        using var game = await GameFolder.MakeAsync();
        using var running = Run(game, "sleep", "600");
        game.Scratch.Flip("game/maps/harbour.pak", 5);
        var before = game.Scratch.Snapshot("game", withOwnFolder: true);

        var verified = await game.VerifyAsync();
        verified.Out.ShouldContain($"Running: sleep (process {running.Id}) runs bin/sleep.");
        verified.Out.ShouldContain("Next: mukta stop game --manifest game.meta4", Case.Sensitive, "a repair would refuse");
        (await game.MuktaAsync("verify", "game", "--manifest", "game.meta4", "--json")).Json.GetProperty("running")[0].GetProperty("pid")
            .GetInt32().ShouldBe(running.Id);
        var refused = await game.RepairAsync("--from", "release", "--yes");
        refused.Code.ShouldBe(3);
        refused.Err.ShouldContain($"process {running.Id}, sleep: runs bin/sleep");
        refused.Err.ShouldContain("mukta stop game");
        game.Scratch.Snapshot("game", withOwnFolder: true).ShouldBe(before);

        var listed = await game.MuktaAsync("stop", "game", "--dry-run", "--json");
        listed.Json.GetProperty("processes")[0].GetProperty("pid").GetInt32().ShouldBe(running.Id);
        running.HasExited.ShouldBeFalse("a dry run ends nothing");
        (await game.MuktaAsync("stop", "game")).Code.ShouldBe(2, "without a terminal it needs --yes");

        var stopped = await game.MuktaAsync("stop", "game", "--yes");
        stopped.Code.ShouldBe(0, stopped.Err);
        stopped.Out.ShouldContain("1 process stopped.");
        running.WaitForExit(5000).ShouldBeTrue();
        (await game.RepairAsync("--from", "release", "--yes")).Code.ShouldBe(0);
        (await game.MuktaAsync("stop", "game", "--yes")).Out.ShouldContain("No process uses it.");
    }

    [Fact]
    public async Task A_process_that_does_not_listen_is_killed_only_by_force()
    {
        using var game = await GameFolder.MakeAsync();
        File.Copy("/bin/bash", game.Scratch.At("game/bin/deaf"));
        using var deaf = Programs.Start(
            game.Scratch, game.Scratch.At("game/bin/deaf"), "-c", "trap '' TERM; echo ready; while :; do read -t 1 < <(:) ; done");
        (await deaf.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken)).ShouldBe("ready");
        var polite = await game.MuktaAsync("stop", "game", "--yes", "--seconds", "1");
        polite.Code.ShouldBe(3);
        polite.Out.ShouldContain($"process {deaf.Id}, deaf: it does not end when it is asked to");
        polite.Out.ShouldContain("Next: mukta stop game --force");
        deaf.HasExited.ShouldBeFalse();
        (await game.MuktaAsync("stop", "game", "--yes", "--seconds", "0", "--force")).Code.ShouldBe(0);
        deaf.WaitForExit(5000).ShouldBeTrue();
    }

    [Fact]
    public async Task An_open_file_counts_and_a_process_outside_is_never_hit()
    {
        using var game = await GameFolder.MakeAsync();
        using var outside = Programs.Start(game.Scratch, "sleep", "600");
        using var reader = Programs.Start(game.Scratch, "tail", "-f", game.Scratch.At("game/maps/pier.pak"));
        using var _ = await OpenedAsync(reader, "pier.pak");
        var answer = await game.MuktaAsync("stop", "game", "--yes");
        answer.Code.ShouldBe(0, answer.Out);
        answer.Out.ShouldContain("it has maps/pier.pak open");
        reader.WaitForExit(5000).ShouldBeTrue();
        outside.HasExited.ShouldBeFalse();
        outside.Kill();
    }

    [Fact]
    public async Task The_shell_that_started_mukta_is_left_alone()
    {
        using var game = await GameFolder.MakeAsync();
        var shell = await Programs.RunAsync(
            game.Scratch, "bash", "-c",
            $"exec 9< game/maps/pier.pak; '{Programs.Mukta}' stop game --yes --seconds 1 --force; echo shell lives $?");
        shell.Out.ShouldContain("it has started mukta");
        shell.Out.ShouldContain("shell lives 3");
    }

    [Fact]
    public async Task Programs_that_are_in_the_way_are_stopped_one_at_a_time_and_an_undo_starts_them_again()
    {
        using var home = await Home.MakeAsync();
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        File.WriteAllText(profile, File.ReadAllText(profile).Replace(
            "conflicts:\n", "conflicts:\n  - {name: gull, processes: [gull-overlay-y], why: it draws over the game}\n"
            + "  - {name: tern, processes: [tern-overlay-y]}\n", StringComparison.Ordinal));
        (await home.OnAsync("stop", "gannet-post", "--conflicts")).Out.ShouldContain("Nothing that runs is in the way of Gannet Post.");
        using var gull = Overlay(home, "gull-overlay-y", "two words");
        using var tern = Overlay(home, "tern-overlay-y");
        var check = await home.OnAsync("check", "gannet-post", "--alone", "--offline");
        check.Out.ShouldContain($"gull is running (process {gull.Id} of ");
        check.Out.ShouldContain("it draws over the game");
        check.Out.ShouldContain("> mukta stop gannet-post --profiles profiles --conflicts");

        var planned = await home.OnAsync("stop", "gannet-post", "--conflicts", "--dry-run");
        planned.Out.ShouldContain("2 programs are in the way of Gannet Post. This stops the first; then tern.");
        gull.HasExited.ShouldBeFalse("a dry run ends nothing");
        (await home.OnAsync("stop", "gannet-post", "--conflicts")).Code.ShouldBe(2, "without a terminal it needs --yes");

        var stopped = await home.OnAsync("stop", "gannet-post", "--conflicts", "--yes", "--json");
        stopped.Code.ShouldBe(0, stopped.Err);
        gull.WaitForExit(5000).ShouldBeTrue();
        tern.HasExited.ShouldBeFalse("one at a time");
        stopped.Json.GetProperty("conflict").GetString().ShouldBe("gull");
        stopped.Json.GetProperty("later")[0].GetString().ShouldBe("tern");

        var undone = await home.MuktaAsync("undo", stopped.Json.GetProperty("operation").GetString()!, "--profiles", "profiles", "--yes");
        undone.Code.ShouldBe(0, undone.Err + undone.Out);
        var again = await home.OnAsync("stop", "gannet-post", "--conflicts", "--dry-run", "--json");
        var pid = again.Json.GetProperty("processes")[0].GetProperty("pid").GetInt32();
        pid.ShouldNotBe(gull.Id);
        File.ReadAllText($"/proc/{pid}/cmdline").ShouldEndWith("gull-overlay-y\0-f\0/dev/null\0two words\0");
        File.ReadAllText($"/proc/{pid}/environ").ShouldNotContain("TOKEN");
        using (var started = Process.GetProcessById(pid))
            started.Kill();
        tern.Kill();
    }

    private static Process Overlay(Home home, string name, params string[] arguments)
    {
        var program = home.Scratch.Write($"overlays/{name}", File.ReadAllBytes("/usr/bin/tail"), Mukta.Tests.Scratch.Program);
        var process = Programs.Start(home.Scratch, "env", ["TOKEN=secret", program, "-f", "/dev/null", .. arguments]);
        SpinWait.SpinUntil(() => new FileInfo($"/proc/{process.Id}/exe").LinkTarget == program, TimeSpan.FromSeconds(20)).ShouldBeTrue();
        return process;
    }

    private static Process Run(GameFolder game, string program, params string[] arguments)
    {
        File.Copy($"/bin/{program}", game.Scratch.At("game/bin", program));
        return Programs.Start(game.Scratch, game.Scratch.At("game/bin", program), arguments);
    }

    private static async Task<Process> OpenedAsync(Process process, string file)
    {
        while (!Directory.EnumerateFileSystemEntries($"/proc/{process.Id}/fd")
            .Any(f => new FileInfo(f).LinkTarget?.EndsWith(file, StringComparison.Ordinal) == true))
            await Task.Delay(20, TestContext.Current.CancellationToken);
        return process;
    }
}
