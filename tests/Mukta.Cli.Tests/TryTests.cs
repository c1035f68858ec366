using System.Diagnostics;
using System.Text;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>A product is started as its shortcut does. The product is a script with a name that no profile has.</summary>
public class TryTests
{
    [Theory]
    [InlineData("exec sleep 600", 0, "running", "Gannet Post runs: it was still there after 1 s.")]
    [InlineData("exit 7", 1, "ended", "with exit code 7, and nothing of it runs.")]
    [InlineData("exit 0", 1, "ended", "with exit code 0, and nothing of it runs.")]
    [InlineData("kill -ILL $$", 1, "killed", "by signal 4 (SIGILL: the processor does not know an instruction).")]
    [InlineData("sleep 600 & exit 0", 0, "handed-over", "1 process that it started was still there")]
    [InlineData("sleep 600 & exit 3", 1, "ended", "with exit code 3.")]
    public async Task What_comes_of_it_is_told_and_what_runs_is_ended_if_that_is_asked(string does, int code, string result, string verdict)
    {
        using var home = await MakeAsync(does);
        var text = await home.OnAsync("try", "gannet-post", "--seconds", "1", "--end");
        text.Code.ShouldBe(code, text.Out + text.Err);
        text.Out.ShouldContain(verdict);
        var json = await home.OnAsync("try", "gannet-post", "--seconds", "1", "--end", "--json");
        json.Json.GetProperty("result").GetString().ShouldBe(result);
        json.Json.GetProperty("wasEnded").GetBoolean().ShouldBe(does.Contains("sleep", StringComparison.Ordinal));
        Running(home).ShouldBeEmpty();
    }

    [Fact]
    public async Task It_is_started_with_the_environment_folder_and_arguments_of_its_shortcut_and_its_words_are_shown()
    {
        using var home = await MakeAsync(
            "echo \"$GULL in $(pwd) with $# arguments, the last '$2'\"; echo '/lib/x: error while loading shared libraries: libgull.so.1: x' >&2; exit 127",
            "env GULL=loud %P --mail \"100%% sure\" %U");
        var answer = await home.OnAsync("try", "gannet-post", "--seconds", "5");
        answer.Out.ShouldContain($"loud in {home.Scratch.At("games/gannet-post")} with 2 arguments, the last '100% sure'");
        answer.Out.ShouldContain("loader     /lib/x: error while loading shared libraries: libgull.so.1: x");
        answer.Out.ShouldContain("Next: mukta check gannet-post --profiles profiles");
    }

    [Fact]
    public async Task One_that_cannot_be_started_or_runs_already_is_told_and_a_dry_run_starts_nothing()
    {
        using var home = await MakeAsync("", "%P 600");
        home.Scratch.Write("games/gannet-post/bin/feathers", File.ReadAllBytes("/bin/sleep"), Scratch.Program);
        (await home.OnAsync("try", "gannet-post", "--dry-run")).Code.ShouldBe(0);
        Running(home).ShouldBeEmpty();
        (await home.OnAsync("try", "gannet-post", "--seconds", "1")).Code.ShouldBe(0);
        Running(home).Count.ShouldBe(1, "it is left running");
        var again = await home.OnAsync("try", "gannet-post");
        again.Code.ShouldBe(3);
        again.Err.ShouldContain("The product is running");
        (await home.OnAsync("stop", "gannet-post", "--yes")).Code.ShouldBe(0);
        File.SetUnixFileMode(home.Scratch.At("games/gannet-post/bin/feathers"), Scratch.Usual);
        (await home.OnAsync("try", "gannet-post")).Out.ShouldContain("Gannet Post could not be started: Permission denied.");
        File.Delete(home.Scratch.At(".local/share/applications/gannet-post.desktop"));
        var missing = await home.OnAsync("try", "gannet-post");
        missing.Code.ShouldBe(1);
        missing.Err.ShouldContain("Next: Restore it with: mukta shortcuts restore gannet-post");
    }

    [Fact]
    public async Task Root_starts_it_as_the_player()
    {
        Need.Root();
        Need.Program("setpriv");
        using var home = await MakeAsync("echo \"I am $(id -u), of $(id -g), with ${TOKEN:-nothing}\"; exit 1");
        File.SetUnixFileMode(home.Scratch.Root, (UnixFileMode)0b111_101_101);
        using (var chown = Process.Start("chown", ["-R", "1234:1235", home.Scratch.Root]))
            await chown.WaitForExitAsync(TestContext.Current.CancellationToken);
        var answer = await home.MuktaWithAsync(["TOKEN=secret"], "try", "gannet-post", "--seconds", "5", "--profiles", "profiles");
        answer.Out.ShouldContain("as         user 1234, in ");
        answer.Out.ShouldContain("I am 1234, of 1235, with nothing");
    }

    private static List<string> Running(Home home) =>
    [
        .. Directory.EnumerateDirectories("/proc").Where(f => int.TryParse(Path.GetFileName(f), out _)).Where(f =>
        {
            try
            {
                return new DirectoryInfo(Path.Join(f, "cwd")).LinkTarget?.StartsWith(home.Scratch.At("games"), StringComparison.Ordinal) == true
                    && !File.ReadAllText(Path.Join(f, "stat")).Contains(") Z ", StringComparison.Ordinal);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException)
            {
                return false;
            }
        }),
    ];

    private static async Task<Home> MakeAsync(string does, string exec = "%P")
    {
        var home = await Home.MakeAsync();
        var program = home.Scratch.Write("games/gannet-post/bin/feathers", Encoding.UTF8.GetBytes($"#!/bin/sh\n{does}\n"), Scratch.Program);
        home.Scratch.Write(
            ".local/share/applications/gannet-post.desktop",
            $"[Desktop Entry]\nType=Application\nName=Gannet Post\nPath={home.Scratch.At("games/gannet-post")}\n"
            + $"Exec={exec.Replace("%P", program, StringComparison.Ordinal)}\n");
        return home;
    }
}
