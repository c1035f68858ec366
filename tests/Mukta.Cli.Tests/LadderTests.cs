using System.Diagnostics;
using System.Text.Json;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Each code of the demo's profiles, brought about for real, and worked by following <c>case next</c> alone.</summary>
public class LadderTests
{
    private const int Some = 5;

    /// <summary>A product, a code of its profile, and the rung that fixes it.</summary>
    private static readonly (string Product, string Code, string Rung)[] All =
    [
        ("gannet-post", "PH-0007", "settings"),
        ("gannet-post", "PH-0126", "files"),
        ("gannet-post", "PH-0140", "module-files"),
        ("gannet-post", "PH-0142", "module-service"),
        ("gannet-post", "PH-0150", "files"),
        ("gannet-post", "PH-0161", "caches"),
        ("gannet-post", "PH-0203", "files"),
        ("gannet-post", "PH-0310", "running"),
        ("gannet-post", "does-not-start", "files"),
        ("gannet-post", "download-stuck", "downloads"),
        ("gannet-post", "older-version", "shortcut"),
        ("pierhead", "PL-0031", "sign-in"),
        ("pierhead", "PL-0044", "proxy"),
        ("pierhead", "PL-0503", "outage"),
        ("pierhead", "launcher-does-not-start", "pages"),
        ("kelp-and-kiln", "KK-0020", "files"),
    ];

    /// <summary>All for a program that was published, as in CI; else some by a seed.</summary>
    public static TheoryData<string, string, string> Complaints => [.. Sample.OneOf(Some, All, Programs.ArePublished)];

    [Theory]
    [MemberData(nameof(Complaints))]
    public async Task A_complaint_is_fixed_by_doing_what_comes_next(string product, string code, string rung)
    {
        using var home = await Home.MakeAsync();
        (await Programs.RunAsync(home.Scratch, Programs.StandIns, "break", home.Scratch.Root, "--code", code)).Code.ShouldBe(0);
        await WorkAsync(home, product, code, rung, () =>
        {
            // What a person is told to do.
            if (code == "PL-0044")
                File.Delete(home.Scratch.At(".config/environment.d/proxy.conf"));
            if (code == "PL-0503")
                home.Scratch.Write("outage.json", "{ \"status\": \"pass\" }");
        });
    }

    [Fact]
    public async Task A_full_disk_is_told_and_the_case_goes_on_once_there_is_room()
    {
        Need.Root();
        using var home = await Home.MakeAsync();
        var (install, aside) = (home.Scratch.At("games/gannet-post"), home.Scratch.At("aside"));
        Directory.Move(install, aside);
        Directory.CreateDirectory(install);
        Need.That(await RunAsync("mount", "-t", "tmpfs", "-o", "size=128m", "tmpfs", install) == 0, "nothing can be mounted here");
        try
        {
            (await RunAsync("cp", "-a", $"{aside}/.", install)).ShouldBe(0);
            var filler = Path.Join(install, "somebodys-film");
            await RunAsync("dd", "if=/dev/zero", $"of={filler}", "bs=64k", "count=4000");
            await WorkAsync(home, "gannet-post", "PH-0028", "room", () => File.Delete(filler));
        }
        finally
        {
            await RunAsync("umount", "--lazy", install);
        }
    }

    [Fact]
    public async Task A_case_that_is_killed_at_any_moment_goes_on_where_it_was()
    {
        using var home = await Home.MakeAsync();
        (await Programs.RunAsync(home.Scratch, Programs.StandIns, "break", home.Scratch.Root, "--code", "PH-0203")).Code.ShouldBe(0);
        (await home.OnAsync("case open", "gannet-post", "--code", "PH-0203", "--offline")).Code.ShouldBe(0);
        for (var wait = 100; wait <= 1600; wait += 300)
        {
            using var next = home.Start("case", "next", "--yes", "--profiles", "profiles");
            await Task.Delay(wait, TestContext.Current.CancellationToken);
            next.Kill(entireProcessTree: true);
            await next.WaitForExitAsync(TestContext.Current.CancellationToken);
        }

        var shown = (await home.MuktaAsync("case", "show", "--case", "1", "--json", "--profiles", "profiles")).Json.GetProperty("case");
        if (!shown.TryGetProperty("closed", out _))
            (await home.MuktaAsync("case", "next", "--yes", "--profiles", "profiles")).Out.ShouldContain("Case 1 is fixed by files, and closed.");
        shown = (await home.MuktaAsync("case", "show", "--case", "1", "--json", "--profiles", "profiles")).Json.GetProperty("case");
        shown.GetProperty("events").EnumerateArray().Select(e => e.GetProperty("what").GetString()!.Split(',')[0])
            .ShouldBe(["opened", "files: begun", "files: done", "files: fixed"]);
        var operation = shown.GetProperty("rungs").EnumerateArray().First(r => r.GetProperty("rung").GetString() == "files")
            .GetProperty("operation").GetString()!;
        (await home.MuktaAsync("undo", operation, "--yes")).Code.ShouldBe(0);
        (await home.OnAsync("verify", "gannet-post")).Code.ShouldBe(1, "what was repaired is damaged again");
    }

    private static async Task WorkAsync(Home home, string product, string code, string rung, Action byHand)
    {
        var opened = await home.OnAsync("case open", product, "--code", code, "--json");
        opened.Code.ShouldBe(0, opened.Out + opened.Err);
        JsonElement one = default;
        for (var turn = 0; turn < 6 && (turn == 0 || !one.TryGetProperty("closed", out _)); turn++)
        {
            var next = await home.MuktaAsync("case", "next", "--yes", "--json", "--profiles", "profiles");
            one = next.Json.GetProperty("case");
            if (next.Json.GetProperty("steps").EnumerateArray().Any(s => s.TryGetProperty("instructions", out _)))
                byHand();
        }

        var rungs = one.GetProperty("rungs").EnumerateArray()
            .Select(r => (Id: r.GetProperty("rung").GetString(), Result: r.TryGetProperty("result", out var result) ? result.GetString() : null))
            .ToList();
        rungs.ShouldContain((rung, "fixed"), $"{string.Join(", ", rungs)}");
        rungs.Count(r => r.Result is "fixed" or "not-fixed").ShouldBeLessThanOrEqualTo(3);
    }

    private static async Task<int> RunAsync(string program, params string[] arguments)
    {
        using var process = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardError = true })!;
        await process.WaitForExitAsync(TestContext.Current.CancellationToken);
        return process.ExitCode;
    }
}
