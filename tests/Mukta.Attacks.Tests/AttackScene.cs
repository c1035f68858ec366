using System.Diagnostics;
using System.Globalization;
using System.Text;
using Mukta.Cli.Tests;
using Mukta.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>
/// A home with an install, its manifest and a profile, all of which an attacker may change, and a folder outside with canaries, which
/// nobody
/// may. Mukta runs as root.
/// </summary>
internal sealed class AttackScene : IDisposable
{
    /// <summary>The user that the home belongs to where an attack wants one.</summary>
    public const int User = 1234;

    private const string MostMemory = "0x18000000"; // 384 MiB
    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(60);
    private readonly Scratch outside = new();
    private SortedDictionary<string, string> untouched = [];

    /// <summary>The manifest, which is the same for all.</summary>
    private static readonly Lazy<Task<byte[]>> Published = new(async () =>
    {
        using var scene = new AttackScene();
        scene.FillRelease();
        (await scene.MuktaAsync(
            "manifest", "make", "release", "--product", "pier", "--release", "1.0", "--piece-size", "64KiB", "--out", "pier.meta4"))
            .Code.ShouldBe(0);
        return await File.ReadAllBytesAsync(scene.Home.At("pier.meta4"));
    });

    public Scratch Home { get; } = new();

    /// <summary>The folder of the canaries.</summary>
    public string Outside => outside.Root;

    public static async Task<AttackScene> MakeAsync()
    {
        Need.Root();
        var scene = new AttackScene();
        scene.outside.Write("canary", "alive");
        scene.outside.Write("folder/inner/canary", "alive");
        scene.outside.Fill("program", 1000, 9, Scratch.Program);
        File.SetUnixFileMode(scene.Home.Root, Scratch.Program);
        scene.FillRelease();
        scene.Home.CopyTree("release", "games/pier");
        scene.Home.Write("profiles/pier.yaml", Profile());
        scene.Home.Write(
            "systemctl", Encoding.UTF8.GetBytes(
            $"#!/bin/sh\ncase \"$*\" in *show*|*list*|*cat*) ;; *) touch {scene.Outside}/changed ;; esac\n"),
            Scratch.Program);
        scene.Home.Write("profiles/pier.meta4", await Published.Value);
        scene.Remember();
        return scene;
    }

    /// <summary>A profile of the product, with more keys.</summary>
    public static string Profile(string more = "") => $$"""
        format: mukta.profile/1
        product: pier
        title: Pier
        kind: game
        installs: {places: ["${home}/games/pier"]}
        manifest: {file: pier.meta4}
        {{more}}
        """;

    private void FillRelease()
    {
        Home.Fill("release/bin/game", 20_000, 1, Scratch.Program);
        Home.Fill("release/maps/harbour.pak", 200_000, 2);
        Home.Fill("release/sound/gulls.bank", 300, 3);
    }

    /// <summary>Gives the home, or a part of it, to its user.</summary>
    public void GiveToUser(string path = "") => Run("chown", "-hR", $"{User}:{User}", Home.At(path));

    public void Link(string path, string target)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(Home.At(path))!);
        File.CreateSymbolicLink(Home.At(path), target);
    }

    public void Pipe(string path)
    {
        Directory.CreateDirectory(Path.GetDirectoryName(Home.At(path))!);
        Run("mkfifo", Home.At(path));
    }

    /// <summary>A file that is long and takes no room.</summary>
    public void Sparse(string path, long length)
    {
        Home.Write(path, "");
        Home.Truncate(path, length);
    }

    public static void Run(string program, params string[] arguments)
    {
        using var process = Process.Start(program, arguments);
        process.WaitForExit();
        process.ExitCode.ShouldBe(0, program);
    }

    public Task<Answer> MuktaAsync(params string[] arguments) => RunAsync([Programs.Mukta, .. arguments]);

    /// <summary>Runs a command on the product.</summary>
    public Task<Answer> OnAsync(string command, params string[] more) =>
        MuktaAsync([.. command.Split(' '), "pier", "--profiles", "profiles", .. more]);

    public Task<Answer> RepairAsync(params string[] more) => OnAsync("repair", ["--yes", "--from", "release", .. more]);

    /// <summary>Puts a setup program into the release and the install, lists it in the manifest and has the profile call it.</summary>
    public async Task WithSetupAsync(string program, string calls)
    {
        foreach (var tree in new[] { "release", "games/pier" })
            File.Copy(program, Home.At(tree, "bin/setup"), overwrite: true);
        (await MuktaAsync(
            "manifest", "make", "release", "--product", "pier", "--release", "1.0", "--out", "profiles/pier.meta4", "--yes"))
            .Code.ShouldBe(0);
        Home.Write("profiles/pier.yaml", Profile($"setup: {{program: bin/setup, {calls}}}"));
    }

    /// <summary>Runs mukta in a line of the shell, as "$MUKTA".</summary>
    public Task<Answer> ShellAsync(string line) => RunAsync(["sh", "-c", line]);

    /// <summary>Runs mukta as somebody.</summary>
    public Task<Answer> AsUserAsync(int user, params string[] arguments) => RunAsync(
        ["setpriv", $"--reuid={user}", $"--regid={user}", "--clear-groups", Programs.Mukta, .. arguments]);

    /// <summary>What is outside now is what has to stay.</summary>
    public void Remember() => untouched = OutsideNow();

    public void OutsideShouldBeUntouched() => OutsideNow().ShouldBe(untouched);

    public void Dispose()
    {
        outside.Dispose();
        Home.Dispose();
    }

    private async Task<Answer> RunAsync(string[] words)
    {
        string[] environment =
        [
            "-u", "XDG_CONFIG_HOME", "-u", "XDG_STATE_HOME", "-u", "XDG_DATA_HOME", "-u", "XDG_CACHE_HOME", $"HOME={Home.Root}",
            $"DOTNET_GCHeapHardLimit={MostMemory}", $"MUKTA={Programs.Mukta}", $"MUKTA_SYSTEMCTL={Home.At("systemctl")}",
        ];
        using var process = Programs.Start(Home, "env", [.. environment, .. words]);
        process.StandardInput.Close();
        var answer = Programs.EndAsync(process);
        if (await Task.WhenAny(answer, Task.Delay(Longest, TestContext.Current.CancellationToken)) != answer)
        {
            process.Kill(entireProcessTree: true);
            Assert.Fail($"{string.Join(' ', words)}: it hangs");
        }

        var got = await answer;
        new[] { 0, 1, 2, 3, 4, 5, 130 }.ShouldContain(got.Code, $"{string.Join(' ', words)}\n{got.Out}\n{got.Err}");
        return got;
    }

    private SortedDictionary<string, string> OutsideNow()
    {
        var now = outside.Snapshot("");
        foreach (var (path, what) in now.ToList())
        {
            using var stat = Process.Start(
                new ProcessStartInfo("stat", ["-c", "%u:%g %a %Y", outside.At(path)]) { RedirectStandardOutput = true })!;
            now[path] = string.Create(CultureInfo.InvariantCulture, $"{what} {stat.StandardOutput.ReadToEnd()}");
        }

        return now;
    }
}
