namespace Mukta.Cli.Tests;

/// <summary><c>mukta setup</c>, with the vendor's program in each of its moods</summary>
public class SetupTests
{
    [Fact]
    public async Task Without_a_manifest_that_vouches_for_it_no_setup_program_is_run_and_the_manifest_is_named()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("tidewarden.meta4", "no manifest");
        (await home.OnAsync("setup repair", "tidewarden", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2, a.Err), a => a.Err.ShouldContain("tidewarden.meta4"));
        File.Delete(home.Scratch.At("tidewarden.meta4"));
        (await home.OnAsync("setup repair", "tidewarden", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2, a.Err), a => a.Err.ShouldContain("tidewarden.meta4"));
    }

    [Fact]
    public async Task A_repair_by_the_vendors_setup_brings_its_service_up_and_undo_has_it_as_it_was()
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        (await home.OnAsync("services", "tidewarden")).Code.ShouldBe(1);
        var dry = await home.OnAsync("setup repair", "tidewarden", "--dry-run");
        dry.Code.ShouldBe(0, dry.Err);
        dry.Out.ShouldContain("bin/tidewarden-setup repair, as published");
        (await home.OnAsync("setup repair", "tidewarden")).Code.ShouldBe(2, "it asks, and there is nobody to ask");
        (await home.OnAsync("setup", "tidewarden")).Code.ShouldBe(2, "what the vendor's program is to do has to be said");
        (await home.OnAsync("setup repair", "tidewarden", "--dry-run", "--install", dry.Out.Split('\n')[0].Split(" in ")[1]))
            .Out.ShouldBe(dry.Out, "an install can be named");
        var done = await home.OnAsync("setup repair", "tidewarden", "--yes");
        done.Code.ShouldBe(0, done.Err);
        done.Out.ShouldContain("The vendor's repair is done");
        (await home.OnAsync("services", "tidewarden")).Code.ShouldBe(0);
        (await home.MuktaAsync("undo", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
        (await home.OnAsync("services", "tidewarden")).Code.ShouldBe(1);
    }

    [Fact]
    public async Task A_setup_program_that_was_altered_is_never_run()
    {
        using var home = await Home.MakeAsync();
        File.AppendAllText(home.Scratch.At("anti-cheat/tidewarden/bin/tidewarden-setup"), "\ntouch run-by-mistake\n");
        var refused = await home.OnAsync("setup repair", "tidewarden", "--yes");
        refused.Code.ShouldBe(5);
        refused.Err.ShouldContain("is not the published one");
        File.Exists(home.Scratch.At("anti-cheat/tidewarden/run-by-mistake")).ShouldBeFalse();
        var anew = await home.OnAsync("reinstall", "tidewarden", "--yes");
        anew.Code.ShouldBe(0, anew.Err);
        anew.Out.ShouldContain("skipped: its program bin/tidewarden-setup is damaged");
        File.Exists(home.Scratch.At("anti-cheat/tidewarden/run-by-mistake")).ShouldBeFalse();
    }

    [Theory]
    [InlineData("fails", 1, "failed with exit code 5", "output: cannot lock the watch-house: in use")]
    [InlineData("lies", 1, "says done, but: tidewarden.service is inactive, should be active", "output: all is well")]
    [InlineData("restart", 3, "is done once the machine is restarted", "Restart the machine, then run the same command again")]
    public async Task A_program_in_a_bad_mood_is_told_with_what_it_said(string mood, int code, string what, string said)
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        home.Scratch.Write("setup-mood", mood);
        var answer = await home.OnAsync("setup repair", "tidewarden", "--yes");
        answer.Code.ShouldBe(code, answer.Err);
        answer.Err.ShouldContain(what);
        answer.Err.ShouldContain(said);
    }

    [Fact]
    public async Task A_program_that_hangs_is_ended_with_everything_it_has_started()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("setup-mood", "hangs");
        using var running = home.Start("setup", "repair", "tidewarden", "--profiles", "profiles", "--yes", "--verbose");
        using var patience = new CancellationTokenSource(TimeSpan.FromSeconds(60));
        while (!Hanging(home))
            await Task.Delay(50, patience.Token);
        using (var interrupt = System.Diagnostics.Process.Start("kill", ["-INT", $"{running.Id}"]))
            await interrupt.WaitForExitAsync(patience.Token);
        (await Programs.EndAsync(running)).Code.ShouldBe(130);
        Hanging(home).ShouldBeFalse("Ctrl-C ends the vendor's program too");
    }

    [Fact]
    public async Task After_a_restart_every_start_says_what_can_go_on_and_the_same_command_goes_on()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("setup-mood", "restart");
        var waits = await home.OnAsync("reinstall", "tidewarden", "--yes");
        waits.Code.ShouldBe(3, waits.Err);
        waits.Err.ShouldContain("State: removed, waits for a restart.");
        (await home.OnAsync("verify", "pierhead")).Err.ShouldNotContain("restarted");
        (await home.OnAsync("reinstall", "tidewarden", "--yes")).Code.ShouldBe(3, "the machine was not restarted");

        Restart(home);
        var told = await home.OnAsync("verify", "pierhead");
        told.Err.ShouldContain("The machine was restarted, so operation");
        told.Err.ShouldContain("mukta reinstall tidewarden --profiles profiles --yes");
        var second = await home.OnAsync("reinstall", "tidewarden", "--yes");
        second.Code.ShouldBe(3, "the vendor's install wants a restart too");
        second.Err.ShouldContain("State: waits for a restart. The new install is in its place.");
        Restart(home);
        var done = await home.OnAsync("reinstall", "tidewarden", "--yes");
        done.Code.ShouldBe(0, done.Err);
        (await home.OnAsync("verify", "pierhead")).Err.ShouldNotContain("restarted");
    }

    [Fact]
    public async Task A_setup_that_wanted_a_restart_comes_to_its_end_after_it()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("setup-mood", "restart");
        (await home.OnAsync("setup repair", "tidewarden", "--yes")).Code.ShouldBe(3);
        Restart(home);
        (await home.OnAsync("verify", "pierhead")).Err.ShouldContain("Next: mukta setup repair tidewarden");
        var done = await home.OnAsync("setup repair", "tidewarden", "--yes");
        done.Code.ShouldBe(0, done.Err);
        var list = await home.MuktaAsync("operations", "--profiles", "profiles");
        list.Out.ShouldContain("  setup  tidewarden  ");
        list.Out.ShouldNotContain("interrupted");
        list.Out.ShouldNotContain("waiting");
        (await home.OnAsync("verify", "pierhead")).Err.ShouldNotContain("restarted");
    }

    [Theory]
    [InlineData("undo", "--yes")]
    [InlineData("operations purge", "--even-unfinished", "--yes")]
    public async Task What_waited_and_was_undone_or_deleted_is_not_spoken_of_again(string command, params string[] words)
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Write("setup-mood", "restart");
        (await home.OnAsync("setup repair", "tidewarden", "--yes")).Code.ShouldBe(3);
        var id = (await home.MuktaAsync("operations", "--profiles", "profiles", "--json")).Json.GetProperty("operations")[0]
            .GetProperty("operation").GetString()!;
        var answer = await home.MuktaAsync([.. command.Split(' '), id, "--profiles", "profiles", .. words]);
        answer.Code.ShouldBe(0, answer.Err);
        Restart(home);
        (await home.OnAsync("verify", "pierhead")).Err.ShouldNotContain("restarted");
    }

    private static void Restart(Home home) => Journals.PretendRestart(home.Scratch.At(".local/state/mukta"));

    private static bool Hanging(Home home) =>
        Directory.EnumerateDirectories("/proc").Where(d => char.IsAsciiDigit(Path.GetFileName(d)[0])).Any(d =>
    {
        try
        {
            return File.ReadAllText(Path.Join(d, "cmdline")) is var line && line.Contains("vendor-setup", StringComparison.Ordinal)
                && line.Contains(home.Scratch.Root, StringComparison.Ordinal);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    });
}
