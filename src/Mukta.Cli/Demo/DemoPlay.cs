using System.Diagnostics;
using Mukta.Manifests.Signatures;
using Spectre.Console;

namespace Mukta.Cli.Demo;

/// <summary>What the demo shows, in order: the real commands, each printed before its output.</summary>
/// <param name="console">Where it is shown.</param>
/// <param name="stage">Its folder and programs.</param>
/// <param name="asks">True if each change is agreed to by the user.</param>
/// <param name="pauses">True if it waits for Enter between scenes.</param>
internal sealed class DemoPlay(IAnsiConsole console, DemoStage stage, bool asks, bool pauses)
{
    private const string Install = "games/gannet-post";
    private const string Manifest = "gannet-post.meta4";
    private const string Tray = "launcher/pierhead/bin/pierhead-tray";

    /// <summary>Faults for the demo's mirror: it sends 50 Mbit/s, is briefly overloaded, and once sends a corrupt piece.</summary>
    private const string Faults = """
        [
          { "kind": "slow", "bytes": 6250000 },
          { "kind": "status", "status": 503, "retryAfter": 1, "path": "gannet-post/*", "from": 2, "to": 2 },
          { "kind": "flip", "bytes": 1000, "path": "*/gulls.bank", "from": 1, "to": 1 }
        ]
        """;

    public async Task<int> RunAsync(CancellationToken cancel)
    {
        Say("Saltlight Commons is a game room on a harbour pier. All of it is made up.");
        var (_, outage) = await stage.StartAsync(DemoStage.StandIns, ["outage", "outage.json"], cancel).ConfigureAwait(false);
        await StandInsAsync(["scenario", stage.Folder, "--outage", outage], cancel).ConfigureAwait(false);
        await File.WriteAllTextAsync(Path.Join(stage.Folder, "faults.json"), Faults, cancel).ConfigureAwait(false);
        var (mirror, url) = await stage.StartAsync(
            DemoStage.StandIns, ["mirror", "mirror", "--faults", "faults.json", "--log", "mirror.log"], cancel).ConfigureAwait(false);
        Say($"A stand-in for the vendor's mirror answers at {url}.");
        await PublishAsync(url, cancel).ConfigureAwait(false);
        await AroundAsync(cancel).ConfigureAwait(false);
        await CaseAsync(cancel).ConfigureAwait(false);

        await SceneAsync("A week later: a power cut, a tired disk, a copy from another system. The game will not start again.", cancel)
            .ConfigureAwait(false);
        await StandInsAsync(["break", stage.Folder], cancel).ConfigureAwait(false);
        await MuktaAsync(1, ["verify", Install, "--manifest", Manifest], cancel).ConfigureAwait(false);

        await SceneAsync("What would a repair do, and what would it cost?", cancel).ConfigureAwait(false);
        await MuktaAsync(0, ["repair", Install, "--manifest", Manifest, "--dry-run"], cancel).ConfigureAwait(false);

        await SceneAsync(
            "Repair it. The mirror is briefly overloaded and sends one corrupt piece; neither does harm.", cancel).ConfigureAwait(false);
        var repaired = await MuktaAsync(null, ["repair", Install, "--manifest", Manifest, .. Agreed], cancel).ConfigureAwait(false);
        if (repaired == 0)
        {
            await SceneAsync(
                "Is it fixed? A profile names the game's folder and manifest, so its id is enough.", cancel).ConfigureAwait(false);
            await MuktaAsync(0, ["verify", "gannet-post"], cancel).ConfigureAwait(false);

            await SceneAsync(
                "Nothing was deleted: every operation keeps what it replaces, and can be undone.", cancel).ConfigureAwait(false);
            await MuktaAsync(0, ["operations"], cancel).ConfigureAwait(false);
            await MuktaAsync(0, ["undo", "--dry-run"], cancel).ConfigureAwait(false);
        }

        if (repaired == 0)
        {
            await ReinstallAsync(cancel).ConfigureAwait(false);
            await WishesAsync(cancel).ConfigureAwait(false);
            await TrustAsync(url, cancel).ConfigureAwait(false);
            await WithoutNetworkAsync(cancel).ConfigureAwait(false);
        }

        await EndAsync(mirror, url, cancel).ConfigureAwait(false);
        return 0;
    }

    private IReadOnlyList<string> Agreed => asks ? [] : ["--yes"];

    private async Task PublishAsync(string url, CancellationToken cancel)
    {
        Say("The vendor publishes a release: a list of its files, with the hash of every piece.");
        await MuktaAsync(
            0, ["manifest", "make", "mirror/gannet-post/1.4.2", "--product", "gannet-post", "--release", "1.4.2", "--sequence", "41",
            "--piece-size", "256KiB", "--base-url", $"{url}/gannet-post/1.4.2", "--out", Manifest], cancel).ConfigureAwait(false);
        foreach (var (product, release) in new[] { ("kelp-and-kiln", "0.9.0"), ("pierhead", "3.2.0"), ("tidewarden", "2.0.5") })
        {
            await MuktaAsync(
                0, ["manifest", "make", $"mirror/{product}/{release}", "--product", product, "--release", release, "--piece-size", "64KiB",
                "--base-url", $"{url}/{product}/{release}", "--quiet", "--out", $"{product}.meta4"], cancel).ConfigureAwait(false);
        }

        await MuktaAsync(0, ["manifest", "show", Manifest], cancel).ConfigureAwait(false);
    }

    /// <summary>Most complaints are not about a damaged file.</summary>
    private async Task AroundAsync(CancellationToken cancel)
    {
        await SceneAsync(
            "A player calls: code PH-0142, Gannet Post will not start. First, what is around its files?", cancel).ConfigureAwait(false);
        await StandInsAsync(["break", stage.Folder, "--around"], cancel).ConfigureAwait(false);
        await MuktaAsync(0, ["installs"], cancel).ConfigureAwait(false);
        await MuktaAsync(1, ["check", "gannet-post"], cancel).ConfigureAwait(false);

        await SceneAsync(
            "Each finding comes with the command that fixes it. What is cleared or replaced is kept.", cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["services", "restore", "tidewarden", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["caches", "clear", "pierhead", "pages", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["caches", "clear", "gannet-post", "temporary", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["shortcuts", "restore", "gannet-post", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["repair", "gannet-post", "--quiet", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["check", "gannet-post"], cancel).ConfigureAwait(false);
    }

    /// <summary>One complaint, from the call to the page that is filed.</summary>
    private async Task CaseAsync(CancellationToken cancel)
    {
        await SceneAsync(
            "The next player calls with the same code. A case says what to try, in the best order for this machine.", cancel)
            .ConfigureAwait(false);
        await StandInsAsync(["break", stage.Folder, "--code", "PH-0142"], cancel).ConfigureAwait(false);
        await MuktaAsync(0, ["case", "open", "gannet-post", "--code", "PH-0142", "--reference", "T-4711"], cancel).ConfigureAwait(false);
        await SceneAsync("Do the first of it. The game's own self-test says whether that helped.", cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["case", "next", .. Agreed], cancel).ConfigureAwait(false);
        await SceneAsync("What has helped is counted for the next case, and the case is written up as a page.", cancel)
            .ConfigureAwait(false);
        await MuktaAsync(0, ["outcomes", "--chart", "outcomes.svg"], cancel).ConfigureAwait(false);
        await MuktaAsync(0, ["report", "1", "--out", "case-1.html"], cancel).ConfigureAwait(false);
    }

    /// <summary>When repair is not enough.</summary>
    private async Task ReinstallAsync(CancellationToken cancel)
    {
        await SceneAsync(
            "The game starts, but its anti-cheat module throws the player out. Usually the vendor's own setup "
            + "can repair it.", cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["setup", "repair", "tidewarden", .. Agreed], cancel).ConfigureAwait(false);

        await SceneAsync(
            "Not enough. Reinstall it without its leftovers: only a damaged piece is downloaded, the rest comes "
            + "from the old copy.", cancel).ConfigureAwait(false);
        await StandInsAsync(["break", stage.Folder, "--modules"], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["reinstall", "tidewarden", .. Agreed], cancel).ConfigureAwait(false);

        await SceneAsync("The launcher too. Nothing is touched while it runs, so its tray program has to end first.", cancel)
            .ConfigureAwait(false);
        await stage.StartTrayAsync(Path.Join(stage.Folder, Tray), cancel).ConfigureAwait(false);
        await MuktaAsync(3, ["reinstall", "pierhead", "--yes", "--quiet"], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["stop", "pierhead", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["reinstall", "pierhead", .. Agreed], cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["check", "gannet-post"], cancel).ConfigureAwait(false);
    }

    /// <summary>What else a player asks for.</summary>
    private async Task WishesAsync(CancellationToken cancel)
    {
        await SceneAsync("The player has a new disk, and wants Kelp & Kiln on it.", cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["move", "kelp-and-kiln", "new-disk/kelp-and-kiln", .. Agreed], cancel).ConfigureAwait(false);

        await SceneAsync("Gannet Post opens on a screen that is no longer there. Without its settings it starts as new.", cancel)
            .ConfigureAwait(false);
        await MuktaAsync(null, ["reset", "gannet-post", .. Agreed], cancel).ConfigureAwait(false);

        await SceneAsync("And Kelp & Kiln may go after all. What the player has made in it stays.", cancel).ConfigureAwait(false);
        await MuktaAsync(null, ["remove", "kelp-and-kiln", .. Agreed], cancel).ConfigureAwait(false);
    }

    /// <summary>Whoever controls the mirror gains nothing by it.</summary>
    private async Task TrustAsync(string url, CancellationToken cancel)
    {
        const string Certificate = "press/cert.pem";
        string[] check = ["verify", Install, "--manifest", $"{url}/{Manifest}", "--trust", Certificate];
        await SceneAsync("The vendor signs the list of its files, and puts it on its server.", cancel).ConfigureAwait(false);
        await StandInsAsync(["press", stage.Folder], cancel).ConfigureAwait(false);
        await MuktaAsync(0, ["manifest", "sign", Manifest, "--key", "press/key.pem", "--cert", Certificate], cancel).ConfigureAwait(false);
        foreach (var file in new[] { Manifest, Manifest + ManifestSignature.Extension })
            File.Copy(Path.Join(stage.Folder, file), Path.Join(stage.Folder, "mirror", file), overwrite: true);
        await MuktaAsync(0, check, cancel).ConfigureAwait(false);

        await SceneAsync("Somebody on the way changes one byte of it. It is refused, and nothing is touched.", cancel)
            .ConfigureAwait(false);
        await File.AppendAllTextAsync(Path.Join(stage.Folder, "mirror", Manifest), " ", cancel).ConfigureAwait(false);
        await MuktaAsync(5, check, cancel).ConfigureAwait(false);
    }

    /// <summary>A machine that no mirror can be reached from.</summary>
    private async Task WithoutNetworkAsync(CancellationToken cancel)
    {
        const string Findings = "findings.json", Stick = "stick";
        await SceneAsync("The machine in the back room has no network. It writes down what it has found.", cancel).ConfigureAwait(false);
        await StandInsAsync(["break", stage.Folder], cancel).ConfigureAwait(false);
        console.MarkupLineInterpolated($"[bold]$ mukta verify {Install} --manifest {Manifest} --json > {Findings}[/]");
        await stage.RunAsync(
            DemoStage.Mukta, ["verify", Install, "--manifest", Manifest, "--json"], cancel, Path.Join(stage.Folder, Findings))
            .ConfigureAwait(false);

        await SceneAsync("At the desk these findings become a bundle: just the pieces that this machine needs.", cancel)
            .ConfigureAwait(false);
        await MuktaAsync(0, ["bundle", "make", "--for", Findings, "--manifest", Manifest, "--out", Stick], cancel).ConfigureAwait(false);

        await SceneAsync("Back at the machine the stick is all that the repair needs.", cancel).ConfigureAwait(false);
        await MuktaAsync(
            null, ["repair", Install, "--manifest", Manifest, "--from", Stick, "--offline", .. Agreed], cancel).ConfigureAwait(false);
    }

    private async Task EndAsync(Process mirror, string url, CancellationToken cancel)
    {
        DemoStage.EndIt(mirror);
        Say(await mirror.StandardOutput.ReadLineAsync(cancel).ConfigureAwait(false) ?? "");
        if (!stage.IsKept)
            return;
        Say($"Everything is kept in {stage.Folder}. To continue by hand, paste these lines:");
        console.WriteLine($"cd {Shell.Quoted(stage.Folder)}");
        console.WriteLine(
            "export HOME=$PWD MUKTA_PROFILES=$PWD/profiles MUKTA_SYSTEMCTL=$PWD/host/systemctl "
            + $"PATH={Shell.Quoted(DemoStage.Programs)}:$PATH");
        console.WriteLine($"mukta-standins mirror mirror --port {new Uri(url).Port} &");
        console.WriteLine("mukta-standins break .");
        console.WriteLine("mukta repair gannet-post");
    }

    /// <summary>
    /// Runs mukta and holds it to the exit code that the story needs: any for null, since the user may say no, and 0 where nobody is asked.
    /// </summary>
    private async Task<int> MuktaAsync(int? expected, IReadOnlyList<string> arguments, CancellationToken cancel)
    {
        if (!asks)
            expected ??= (int)ExitCode.Done;
        console.MarkupLineInterpolated($"[bold]$ mukta {string.Join(' ', arguments.Select(Shell.Quoted))}[/]");
        var code = await stage.RunAsync(DemoStage.Mukta, arguments, cancel).ConfigureAwait(false);
        return expected is null || code == expected ? code
            : throw new InvalidOperationException($"The demo's command ended with exit code {code} instead of {expected}.");
    }

    private async Task StandInsAsync(IReadOnlyList<string> arguments, CancellationToken cancel)
    {
        var code = await stage.RunAsync(DemoStage.StandIns, arguments, cancel).ConfigureAwait(false);
        if (code != 0)
            throw new InvalidOperationException($"mukta-standins {arguments[0]} ended with exit code {code}.");
    }

    /// <summary>Begins a scene; in a terminal the user says when.</summary>
    private async Task SceneAsync(string line, CancellationToken cancel)
    {
        if (pauses)
        {
            console.WriteLine();
            console.Markup("[grey]Press Enter to go on, Ctrl-C to end.[/]");
            await Console.In.ReadLineAsync(cancel).ConfigureAwait(false);
        }

        Say(line);
    }

    private void Say(string line)
    {
        console.WriteLine();
        console.MarkupLineInterpolated($"[blue]-- {line}[/]");
    }
}
