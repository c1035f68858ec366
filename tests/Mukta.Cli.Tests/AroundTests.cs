using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Services by the stand-in, caches, shortcuts, and finding installs: the commands beside <c>check</c>.</summary>
public class AroundTests
{
    [Fact]
    public async Task Caches_are_shown_with_sums_and_cleared_by_name_only()
    {
        using var home = await Home.MakeAsync();
        var shown = await home.OnAsync("caches", "pierhead");
        shown.Code.ShouldBe(0, shown.Err);
        shown.Out.ShouldContain("39.1 KiB in 2 files");
        shown.Out.ShouldContain("Next: mukta caches clear pierhead --profiles profiles");
        (await home.OnAsync("caches clear", "pierhead", "page", "--yes"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("Name one of: pages, sign-in, temporary"));
        (await home.OnAsync("caches", "pierhead", "--permanently")).Code.ShouldBe(2);
        var before = home.Scratch.Snapshot(".cache");
        (await home.OnAsync("caches clear", "pierhead", "--dry-run")).Out.ShouldContain("Nothing was changed");
        home.Scratch.Snapshot(".cache").ShouldBe(before);

        var cleared = await home.OnAsync("caches clear", "pierhead", "pages", "--yes", "--json");
        cleared.Code.ShouldBe(0, cleared.Err);
        Directory.EnumerateFileSystemEntries(home.Scratch.At(".cache/pierhead/pages-7")).ShouldBeEmpty();
        File.Exists(home.Scratch.At(".cache/pierhead/session/token")).ShouldBeTrue();
        Directory.EnumerateFiles(cleared.Json.GetProperty("caches")[0].GetProperty("keptAt").GetString()!, "*", SearchOption.AllDirectories)
            .Count().ShouldBe(2);
    }

    [Fact]
    public async Task A_cache_whose_clearing_signs_the_player_out_is_cleared_only_if_it_is_named()
    {
        using var home = await Home.MakeAsync();
        var token = home.Scratch.At(".cache/pierhead/session/token");
        var shown = await home.OnAsync("caches", "pierhead");
        shown.Out.ShouldContain("cleared only by name: mukta caches clear pierhead --profiles profiles sign-in");
        (await home.OnAsync("caches clear", "pierhead", "--yes")).Code.ShouldBe(0);
        File.Exists(token).ShouldBeTrue("nobody has named it");
        var after = await home.OnAsync("caches", "pierhead");
        after.Out.ShouldContain(", none clearable.");
        (await home.OnAsync("reinstall", "pierhead", "--yes")).Code.ShouldBe(0);
        File.Exists(token).ShouldBeTrue("a clean install signs nobody out either");
        (await home.OnAsync("caches clear", "pierhead", "sign-in", "--yes")).Code.ShouldBe(0);
        File.Exists(token).ShouldBeFalse();
    }

    [Fact]
    public async Task An_install_that_has_lost_its_marker_is_found_by_every_command()
    {
        using var home = await Home.MakeAsync();
        File.Delete(home.Scratch.At("games/gannet-post/bin/gannet-post"));
        (await home.OnAsync("shortcuts", "gannet-post")).Out.ShouldContain("bin/gannet-post, which is not there");
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        await File.WriteAllTextAsync(
            profile, (await File.ReadAllTextAsync(profile, TestContext.Current.CancellationToken)).Replace(
                "temporary: [", "temporary: [\"${install}/unpacked\", ", StringComparison.Ordinal), TestContext.Current.CancellationToken);
        home.Scratch.Write("games/gannet-post/unpacked/half", "half");
        foreach (var command in new[] { "verify", "check --alone --offline", "caches", "remove --dry-run" })
        {
            var words = command.Split(' ');
            var answer = await home.OnAsync(words[0], "gannet-post", words[1..]);
            (answer.Out + answer.Err).ShouldContain("games/gannet-post", Case.Sensitive, command);
        }
    }

    [Fact]
    public async Task A_cache_in_use_is_left_alone_and_the_process_is_named()
    {
        using var home = await Home.MakeAsync();
        using var reader = Programs.Start(home.Scratch, "tail", "-f", home.Scratch.At(".cache/pierhead/pages-7/news.html"));
        try
        {
            (await reader.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken)).ShouldNotBeNull();
            var refused = await home.OnAsync("caches clear", "pierhead", "--yes");
            refused.Code.ShouldBe(3);
            refused.Err.ShouldContain($"process {reader.Id}, tail");
            File.Exists(home.Scratch.At(".cache/pierhead/pages-7/news.html")).ShouldBeTrue();
        }
        finally
        {
            reader.Kill();
        }
    }

    [Fact]
    public async Task A_launch_entry_is_put_right_and_keeps_what_the_player_added()
    {
        using var home = await Home.MakeAsync();
        (await home.OnAsync("shortcuts", "gannet-post"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(0), a => a.Out.ShouldContain("1 shortcut ok."));
        await home.BreakAroundAsync();
        (await home.OnAsync("shortcuts", "gannet-post"))
            .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(1), a => a.Out.ShouldContain("is missing the argument --mail"));
        (await home.OnAsync("shortcuts restore", "gannet-post")).Code.ShouldBe(2, "nobody is there to be asked");
        (await home.OnAsync("shortcuts restore", "gannet-post", "--dry-run")).Code.ShouldBe(0);
        File.Copy("/bin/sleep", home.Scratch.At("games/gannet-post/bin/napping"));
        using (var running = Programs.Start(home.Scratch, home.Scratch.At("games/gannet-post/bin/napping"), "600"))
        {
            (await home.OnAsync("shortcuts restore", "gannet-post", "--yes"))
                .ShouldSatisfyAllConditions(a => a.Code.ShouldBe(3), a => a.Err.ShouldContain($"process {running.Id}, napping"));
            running.Kill();
            await running.WaitForExitAsync(TestContext.Current.CancellationToken);
        }

        (await home.OnAsync("shortcuts restore", "gannet-post", "--yes", "--json")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0), a => a.Json.GetProperty("shortcuts")[0].GetProperty("exec").GetString()
            .ShouldBe($"{home.Scratch.At("games/gannet-post/bin/gannet-post")} --mail --window"));
    }

    [Fact]
    public async Task A_service_of_the_stand_in_is_brought_back_and_one_that_dies_is_not_called_up()
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        (await home.OnAsync("services", "tidewarden")).Code.ShouldBe(1);
        (await home.OnAsync("services restore", "tidewarden", "--yes")).Out.ShouldContain("Running, and stayed up.");
        (await home.MuktaAsync("services", "--profiles", "profiles")).Out.ShouldStartWith("1 service ok.\n");
        (await home.OnAsync("services", "gannet-post")).Out.ShouldContain("Next: mukta services tidewarden");
        home.Scratch.Write(
            "services.json", """{"tidewarden.service":{"startup":"enabled","active":"inactive","dies":true,"log":["the tide is out"]}}""");
        var dies = await home.OnAsync("services restore", "tidewarden", "--yes");
        dies.Code.ShouldBe(1);
        dies.Out.ShouldContain("came up and did not stay up");
        dies.Out.ShouldContain("log      the tide is out");
    }

    [Fact]
    public async Task A_parent_that_ignores_how_its_children_end_makes_nothing_wait_for_ever()
    {
        Need.Program("python3");
        using var home = await Home.MakeAsync();
        const string Script = "import os, signal, sys\nsignal.signal(signal.SIGCHLD, signal.SIG_IGN)\nos.execv(sys.argv[1], sys.argv[1:])";
        var answer = await home.MuktaWithAsync(
            ["timeout", "-s", "KILL", "60", "python3", "-c", Script], "services", "--profiles", "profiles");
        answer.Out.ShouldStartWith("1 service ok.\n");
    }

    [Fact]
    public async Task Without_the_rights_services_are_not_touched_and_the_command_is_said()
    {
        Need.Root();
        Need.Program("setpriv");
        using var home = await Home.MakeAsync();
        home.Scratch.Write("services.json", """{"tidewarden.service":{"startup":"disabled","active":"inactive"}}""");
        using var chmod = System.Diagnostics.Process.Start("chmod", ["-R", "a+rX", home.Scratch.Root]);
        await chmod.WaitForExitAsync(TestContext.Current.CancellationToken);
        const string Enters = "+dac_override,+dac_read_search"; // Somebody else, who can still reach the programs wherever they lie.
        var answer = await Programs.RunAsync(
            home.Scratch, "setpriv", "--reuid", "4001", "--regid", "4001", "--clear-groups", "--inh-caps", Enters, "--ambient-caps", Enters,
            "env", $"HOME={home.Scratch.Root}", $"PATH={home.Scratch.At("host")}:/bin", Programs.Mukta, "services", "restore", "tidewarden",
            "--profiles", "profiles", "--yes");
        answer.Code.ShouldBe(3, answer.Err);
        answer.Err.ShouldContain("Type: sudo mukta services restore tidewarden --profiles profiles");
    }

    [Fact]
    public async Task A_moved_install_is_found_by_searching_remembered_and_forgotten_again()
    {
        using var home = await Home.MakeAsync();
        Directory.CreateDirectory(home.Scratch.At("attic"));
        Directory.Move(home.Scratch.At("games/gannet-post"), home.Scratch.At("attic/an old game"));
        (await home.OnAsync("installs", "gannet-post")).Code.ShouldBe(1);
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(2);
        var searched = await home.OnAsync("installs", "gannet-post", "--search", "attic");
        searched.Out.ShouldContain("an old game  current  1.4.2: 50 of 50 names and sizes");
        searched.Out.ShouldContain($"Next: mukta installs add gannet-post '{home.Scratch.At("attic/an old game")}' --profiles profiles");
        (await home.OnAsync("installs add", "gannet-post", "attic/an old game", "--yes")).Code.ShouldBe(0);
        (await home.OnAsync("installs", "gannet-post")).Out.ShouldContain("current, recorded");
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(0);
        Directory.Move(home.Scratch.At("attic/an old game"), home.Scratch.At("games/gannet-post"));
        var dry = await home.OnAsync("installs forget", "gannet-post", "--dry-run", "--json");
        dry.Json.GetProperty("installs")[0].GetProperty("path").GetString().ShouldBe(home.Scratch.At("attic/an old game"));
        (await home.OnAsync("installs forget", "gannet-post")).Code.ShouldBe(2, "nobody is there to be asked");
        (await home.OnAsync("installs forget", "gannet-post", "--yes")).Out.ShouldContain("1 install forgotten.");
        (await home.OnAsync("installs forget", "gannet-post", "--yes")).Out.ShouldBe("Nothing to forget.\n");
        (await home.OnAsync("installs forget", "gannet-post", "games/gannet-post", "--yes")).Err.ShouldContain("is not recorded");
    }
}
