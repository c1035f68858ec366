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
