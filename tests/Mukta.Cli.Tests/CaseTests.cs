using Mukta.Tests;

namespace Mukta.Cli.Tests;

public class CaseTests
{
    [Fact]
    public async Task A_complaint_is_worked_by_following_what_is_proposed_and_the_next_one_learns_from_it()
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        var opened = await home.OnAsync("case open", "gannet-post", "--code", "ph-0142", "--reference", "T-77", "--offline");
        opened.Code.ShouldBe(0, opened.Err);
        opened.Out.ShouldContain("Case 1, Gannet Post, PH-0142: the anti-cheat module Tidewarden does not run");
        opened.Out.ShouldContain("tidewarden.service is masked");
        opened.Out.ShouldContain("Next: mukta case next --profiles profiles");
        var next = await home.MuktaAsync("case", "next", "--profiles", "profiles");
        next.Code.ShouldBe(2, "nobody can be asked");
        next.Out.ShouldContain("Case 1, rung 1 of 4: module-service");
        next.Out.ShouldContain("loses nothing");
        (await home.MuktaAsync("case", "note", "it was masked", "--profiles", "profiles")).Code.ShouldBe(0);
        next = await home.MuktaAsync("case", "next", "--yes", "--profiles", "profiles");
        next.Code.ShouldBe(1, "the shortcut is still broken");
        next.Out.ShouldContain("gone   tidewarden.service is masked");
        next.Out.ShouldContain("Its probe bin/self-test ended with exit code 1: PH-0150: folder not found");
        next.Out.ShouldContain("module-service did not fix it.\nNext: mukta case next --profiles profiles\n");
        (await home.MuktaAsync("case", "result", "fixed", "--rung", "module-service", "--profiles", "profiles")).Out
            .ShouldContain("Case 1 is fixed by module-service, and closed.");
        (await home.MuktaAsync("case", "list")).Out.ShouldContain("No case is open.");
        (await home.MuktaAsync("case", "list", "--all")).Out.ShouldContain("Next: mukta case show --case 1\n");
        (await home.MuktaAsync("case", "list", "--all", "--json")).Json.GetProperty("cases")[0].GetProperty("events").GetArrayLength().ShouldBe(6);

        var again = await home.OnAsync("case open", "gannet-post", "--code", "PH-0142", "--offline", "--json");
        var rung = again.Json.GetProperty("case").GetProperty("rungs").EnumerateArray().Single(r => r.GetProperty("rung").GetString() == "module-service");
        rung.GetProperty("tried").GetDouble().ShouldBe(1, 0.01);
        rung.GetProperty("factor").GetDouble().ShouldBe(0.1, "the services are as they should be now");
        rung.GetProperty("learnt").GetDouble().ShouldBeGreaterThan(rung.GetProperty("prior").GetDouble());
        var why = await home.MuktaAsync("case", "show", "--why", "--profiles", "profiles");
        why.Out.ShouldContain("profile 50 %, helped 1 of 1 times, so 60 %; odds times 0.1");
    }

    [Fact]
    public async Task Damaged_files_bring_the_repair_to_the_front_and_what_loses_settings_stays_behind()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.Flip("games/gannet-post/bin/mail-sorter", 100);
        var opened = await home.OnAsync("case open", "gannet-post", "--symptom", "nothing happens when I click", "--offline", "--json");
        opened.Code.ShouldBe(0, opened.Err);
        var one = opened.Json.GetProperty("case");
        one.GetProperty("code").GetString().ShouldBe("does-not-start");
        var rungs = one.GetProperty("rungs").EnumerateArray().Select(r => r.GetProperty("rung").GetString()).ToList();
        rungs[0].ShouldBe("files");
        rungs[^1].ShouldBe("settings");
        (await home.MuktaAsync("case", "result", "not-fixed", "--profiles", "profiles")).Out.ShouldContain("files did not fix it.");
        var worse = await home.MuktaAsync("case", "result", "worse", "--rung", "shortcut", "--profiles", "profiles");
        worse.Out.ShouldContain("shortcut made it worse. Undo it before you go on.");
        worse.Out.ShouldContain("Next: mukta undo gannet-post --profiles profiles");
        (await home.MuktaAsync("case", "close", "--profiles", "profiles")).Out.ShouldContain("Case 1 is closed.");
        (await home.MuktaAsync("case", "next", "--case", "1", "--profiles", "profiles")).Err.ShouldContain("This case is closed.");
    }

    [Fact]
    public async Task After_a_restart_it_goes_on_where_it_was_and_says_that_there_was_one()
    {
        Need.Program("python3");
        using var home = await Home.MakeAsync();
        var profile = home.Scratch.At("profiles/gannet-post.yaml");
        File.WriteAllText(profile, File.ReadAllText(profile).Replace("{downloads: 50, running: 10, restart: 10}", "{restart: 90}", StringComparison.Ordinal));
        (await home.OnAsync("case open", "gannet-post", "--code", "download-stuck", "--offline")).Code.ShouldBe(0);
        string[] next = ["case", "next", "--profiles", "profiles"];
        (await home.MuktaAsync(next)).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0), a => a.Out.ShouldContain("Restart the machine"), a => a.Out.ShouldContain("Once it is done:"));
        (await home.MuktaAsync(next)).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(1), a => a.Out.ShouldContain("The machine was not restarted yet."));
        // As if all that was written down had been written down before a restart.
        const string Earlier = "import sqlite3, sys\nd = sqlite3.connect(sys.argv[1])\nd.execute(\"update rung set boot = 'x' where begun is not null\")\n"
            + "d.execute(\"update event set boot = 'x'\")\nd.commit()\n";
        (await Programs.RunAsync(home.Scratch, "python3", "-c", Earlier, home.Scratch.At(".local/state/mukta/cases.db"))).Code.ShouldBe(0);
        (await home.MuktaAsync(next)).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0), a => a.Out.ShouldStartWith("The machine was restarted since the last step.\n"),
            a => a.Out.ShouldContain("Case 1 is fixed by restart, and closed."));
    }

    [Fact]
    public async Task A_case_of_one_of_several_installs_stays_with_it()
    {
        using var home = await Home.MakeAsync();
        home.Scratch.CopyTree("games/gannet-post", ".local/share/saltlight/games/gannet-post");
        var second = home.Scratch.At(".local/share/saltlight/games/gannet-post");
        home.Scratch.Flip(".local/share/saltlight/games/gannet-post/maps/pier.pak", 5000);
        var opened = await home.OnAsync("case open", "gannet-post", "--code", "PH-0203", "--install", second, "--offline");
        opened.Out.ShouldContain($"> mukta repair gannet-post --install {second} --profiles profiles");
        var next = await home.MuktaAsync("case", "next", "--yes", "--json", "--profiles", "profiles");
        next.Json.GetProperty("steps")[0].GetProperty("document").GetProperty("install").GetString().ShouldBe(second);
        (await home.MuktaAsync("verify", "gannet-post", "--install", second, "--profiles", "profiles")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task What_cannot_be_done_or_is_not_agreed_to_is_not_taken_for_tried()
    {
        using var home = await Home.MakeAsync();
        (await Programs.RunAsync(home.Scratch, Programs.StandIns, "break", home.Scratch.Root, "--code", "PH-0150")).Code.ShouldBe(0);
        (await home.OnAsync("case open", "gannet-post", "--code", "PH-0150", "--offline")).Code.ShouldBe(0);
        var dry = await home.MuktaAsync("case", "next", "--dry-run", "--profiles", "profiles");
        dry.Out.ShouldContain("shortcut: cannot be done here: No install of Gannet Post was found.");
        (await home.MuktaAsync("case", "show", "--json", "--profiles", "profiles")).Json.GetProperty("case").GetProperty("events").GetArrayLength()
            .ShouldBe(1, "a dry run writes nothing down");
        var next = await home.MuktaAsync("case", "next", "--yes", "-q", "--profiles", "profiles");
        next.Out.ShouldBe("Case 1 is fixed by files, and closed.\n");
        (await home.MuktaAsync("outcomes", "--json")).Json.GetProperty("rungs").GetArrayLength().ShouldBe(1, "the shortcut was not needed");
    }

    [Fact]
    public async Task What_has_helped_is_counted_drawn_and_shared()
    {
        using var home = await Home.MakeAsync();
        await home.BreakAroundAsync();
        foreach (var result in new[] { "fixed", "not-fixed", "fixed" })
        {
            (await home.OnAsync("case open", "gannet-post", "--code", "PH-0142", "--offline", "-q")).Code.ShouldBe(0);
            (await home.MuktaAsync("case", "result", result, "--rung", "module-service", "--profiles", "profiles", "-q")).Code.ShouldBe(0);
        }

        var shown = await home.MuktaAsync("outcomes", "--product", "gannet-post", "--code", "ph-0142", "--chart", "rates.svg", "--export", "ours.jsonl");
        shown.Code.ShouldBe(0, shown.Err);
        shown.Out.ShouldStartWith("3 outcomes, 2 fixed.\n");
        shown.Out.ShouldContain("  module-service      3      2   67 %  █████████████·······  21 and 94 %");
        var chart = System.Xml.Linq.XDocument.Load(home.Scratch.At("rates.svg"));
        chart.Root!.Value.ShouldContain("2 of 3");
        (await home.MuktaAsync("outcomes", "--chart", "rates.svg")).Err.ShouldContain("There is a file of this name already.");
        (await home.MuktaAsync("outcomes", "--chart", "rates.png")).Code.ShouldBe(0);
        File.ReadAllBytes(home.Scratch.At("rates.png")).Take(4).ShouldBe([0x89, (byte)'P', (byte)'N', (byte)'G']);
        (await home.MuktaAsync("outcomes", "--chart", "rates.gif")).Code.ShouldBe(2);
        File.ReadAllText(home.Scratch.At("ours.jsonl")).ShouldNotContain(home.Scratch.Root);

        using var other = await Home.MakeAsync();
        var piped = await other.MuktaAsync("outcomes", "--import", home.Scratch.At("ours.jsonl"), "--json");
        piped.Json.GetProperty("imported").GetProperty("added").GetInt32().ShouldBe(3);
        piped.Json.GetProperty("rungs")[0].GetProperty("fixed").GetInt32().ShouldBe(2);
        (await other.MuktaAsync("outcomes", "--import", home.Scratch.At("ours.jsonl"))).Out
            .ShouldStartWith("3 outcomes, 2 fixed. 0 imported, 3 known already.");
        (await other.MuktaAsync("outcomes", "--export", "-", "--json")).Err.ShouldContain("name a file with --export.");
        (await other.MuktaAsync("outcomes", "--export", "-")).Out.Split('\n').Order()
            .ShouldBe(File.ReadAllText(home.Scratch.At("ours.jsonl")).Split('\n').Order());
    }

    [Fact]
    public async Task Mistakes_are_told_with_what_to_do()
    {
        using var home = await Home.MakeAsync();
        (await home.MuktaAsync("case", "next", "--profiles", "profiles")).Err.ShouldContain("No case is open.");
        var code = await home.OnAsync("case open", "gannet-post", "--code", "PH-9", "--offline");
        code.Code.ShouldBe(2);
        code.Err.ShouldContain("PH-0142, PH-0150");
        (await home.OnAsync("case open", "tidewarden", "--offline")).Err.ShouldContain("has no ladder, so there is nothing to propose.");
        (await home.OnAsync("case open", "gannet-post", "--symptom", "it is pink", "--offline")).Out.ShouldContain("Case 1, Gannet Post, it is pink");
        (await home.MuktaAsync("case", "result", "perhaps", "--profiles", "profiles")).Code.ShouldBe(2);
        (await home.MuktaAsync("case", "result", "fixed", "--rung", "magic", "--profiles", "profiles")).Err.ShouldContain("This case has no such rung.");
        (await home.MuktaAsync("case", "show", "--case", "9", "--profiles", "profiles")).Err.ShouldContain("There is no such case.");
    }
}
