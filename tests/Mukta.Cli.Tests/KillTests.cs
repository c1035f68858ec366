using System.Diagnostics;
using System.Security.Cryptography;
using System.Text.Json;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>
/// Kills each acting command at random moments, with a real web server as its mirror; then gives the same command again, and undoes it.
/// <c>MUKTA_KILLS</c> says how often, <c>MUKTA_SEED</c> when.
/// </summary>
public sealed class KillTests
{
    private static int Kills => int.TryParse(Environment.GetEnvironmentVariable("MUKTA_KILLS"), out var kills) ? kills
        : Environment.GetEnvironmentVariable("MUKTA_PROGRAMS") is { Length: > 0 } ? 10 : 1;

    [Theory]
    [InlineData("repair")]
    [InlineData("undo")]
    [InlineData("reinstall")]
    [InlineData("remove")]
    [InlineData("reset")]
    [InlineData("move")]
    [InlineData("caches")]
    [InlineData("purge")]
    public async Task Killed_at_any_moment_the_same_command_goes_on_and_undo_brings_everything_back(string deed)
    {
        var seed = Sample.Printed();
        var random = new Random(seed);
        using var quay = await Quay.MakeAsync();
        var (longest, hits) = (TimeSpan.Zero, 0);
        for (var i = 0; i <= Kills; i++)
        {
            quay.Renew();
            var before = quay.Look();
            var arguments = await quay.PrepareAsync(deed);
            var started = DateTime.Now;
            using var killed = quay.Start(arguments);
            if (i == 0)
                await killed.WaitForExitAsync(TestContext.Current.CancellationToken); // How long it takes when nobody kills it.
            else
                await Task.Delay(longest * random.NextDouble(), TestContext.Current.CancellationToken);
            if (!killed.HasExited)
                hits++;
            else if (i == 0 || killed.ExitTime - started < longest)
                longest = killed.ExitTime - started; // The first may have taken longer than all that follow.
            killed.Kill();
            var end = await Programs.EndAsync(killed);
            await quay.CheckAsync(deed, end.Code is 0 or 1 ? null : arguments, before, $"kill {i}");
        }

        TestContext.Current.TestOutputHelper?.WriteLine($"{hits} of {Kills} were killed in the middle");
        hits.ShouldBeGreaterThan(Kills / 3 - 1);
    }

    /// <summary>A home with a game, what lies around it, and its mirror.</summary>
    private sealed class Quay : IDisposable
    {
        private static readonly string[] Options = ["--profiles", "profiles"];
        private readonly Scratch scratch = new();
        private readonly Scratch other = new(inMemory: true);
        private Nginx? nginx;

        private string Install => scratch.At("home/games/pier");

        public static async Task<Quay> MakeAsync()
        {
            var quay = new Quay();
            var scratch = quay.scratch;
            scratch.Fill("release/bin/pier", 200_000, 1, Scratch.Program);
            scratch.Fill("release/maps/harbour.pak", 1 << 20, 2);
            for (var i = 0; i < 40; i++)
                scratch.Fill($"release/maps/d{i % 4}/tile-{i}", 3000 + i, i);
            scratch.Write("profiles/pier.yaml", """
                format: mukta.profile/1
                product: pier
                title: Pier
                kind: game
                installs: {places: ["${home}/games/pier"], marker: bin/pier}
                manifest: {file: ../pier.meta4}
                caches: [{name: pages, places: ["${cache}/pier/pages-*"]}]
                settings: ["${config}/pier"]
                user-data: ["${data}/pier/logbooks", "${install}/screenshots"]
                shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/pier}]
                leftovers: ["${data}/pier/news"]
                """);
            quay.nginx = await Nginx.StartAsync(scratch);
            var made = await Programs.MuktaAsync(
                scratch, "manifest", "make", "release", "--product", "pier", "--release", "1", "--piece-size", "64KiB", "--base-url",
                quay.nginx.Url, "--out", "pier.meta4");
            made.Code.ShouldBe(0, made.Err);
            return quay;
        }

        /// <summary>Everything as it was in the beginning: a damaged install, and what lies around it.</summary>
        public void Renew()
        {
            foreach (var folder in new[] { scratch.At("home"), other.At("games") }.Where(Directory.Exists))
                Directory.Delete(folder, recursive: true);
            Directory.CreateDirectory(other.At("games"));
            scratch.CopyTree("release", "home/games/pier");
            scratch.Flip("home/games/pier/maps/harbour.pak", 300_000);
            scratch.Zero("home/games/pier/bin/pier", 70_000, 50_000);
            for (var i = 0; i < 40; i += 3)
                File.Delete(Path.Join(Install, $"maps/d{i % 4}/tile-{i}"));
            File.Move(Path.Join(Install, "maps/d1/tile-1"), Path.Join(Install, "maps/d1/TILE-1"));
            scratch.Write("home/games/pier/screenshots/one.raw", "a picture");
            scratch.Write("home/games/pier/mods/mine.txt", "a mod of mine");
            scratch.Write("home/.local/share/pier/logbooks/spring.log", "sailed");
            scratch.Write("home/.local/share/pier/news/1.html", "news");
            scratch.Write("home/.config/pier/settings", "loud");
            for (var i = 0; i < 10; i++)
                scratch.Fill($"home/.cache/pier/pages-{i}/page", 900, i);
            scratch.Write("home/.local/share/applications/pier.desktop", "[Desktop Entry]\nType=Application\nName=Pier\nExec=/gone/pier\n");
        }

        /// <summary>Does what has to be done before, and answers the command that is killed.</summary>
        public async Task<string[]> PrepareAsync(string deed)
        {
            if (deed is "undo" or "purge")
                (await MuktaAsync("repair", "pier", "--yes")).Code.ShouldBe(0);
            return deed switch
            {
                "undo" => ["undo", (await OperationsAsync())[0].GetProperty("operation").GetString()!, "--yes"],
                "purge" => ["operations", "purge", (await OperationsAsync())[0].GetProperty("operation").GetString()!, "--yes"],
                "move" => ["move", "pier", other.At("games/pier"), "--yes"],
                "caches" => ["caches", "clear", "pier", "--yes"],
                _ => [deed, "pier", "--yes"],
            };
        }

        public Process Start(params string[] arguments) => Programs.Start(scratch, "env", Words(arguments));

        /// <summary>Gives the command again if it was killed, and looks whether all is done, and comes back.</summary>
        public async Task CheckAsync(string deed, string[]? again, List<string> before, string when)
        {
            if (again is not null && !await IsDoneAsync(deed))
            {
                var ended = await MuktaAsync(again);
                ended.Code.ShouldBe(deed == "move" ? 1 : 0, $"{when}: {ended.Out}{ended.Err}"); // What is moved is as damaged as before.
            }

            if (deed == "undo")
            {
                ShouldBeAs(before, when);
                return;
            }

            if (deed == "purge")
            {
                (await OperationsAsync()).ShouldBeEmpty(when);
                (await MuktaAsync("verify", "pier")).Code.ShouldBe(0, when);
                return;
            }

            await ShouldBeDoneAsync(deed, when);
            foreach (var open in (await OperationsAsync()).Where(o => o.GetProperty("state").GetString() == "done").Reverse())
            {
                var undone = await MuktaAsync("undo", open.GetProperty("operation").GetString()!, "--yes");
                undone.Code.ShouldBe(0, $"{when}: {undone.Out}{undone.Err}");
            }

            ShouldBeAs(before, $"undone after {when}");
        }

        /// <summary>Bytes, kinds, modes and times of everything but what is Mukta's own.</summary>
        public List<string> Look()
        {
            var root = scratch.At("home");
            return [.. Directory.EnumerateFileSystemEntries(root, "*", SearchOption.AllDirectories).Append(root)
                .Where(p => !p.Contains("/.mukta", StringComparison.Ordinal) && !p.Contains("/.local/state", StringComparison.Ordinal))
                .Select(p => $"{Path.GetRelativePath(root, p)} {File.GetUnixFileMode(p)} {TimeOf(p)} {(File.Exists(p) ? HashOf(p) : "folder")}")
                .Order(StringComparer.Ordinal)];
        }

        public void Dispose()
        {
            nginx?.Dispose();
            scratch.Dispose();
            other.Dispose();
        }

        private void ShouldBeAs(List<string> before, string when)
        {
            var now = Look();
            string.Join('\n', before.Except(now).Select(l => "- " + l).Concat(now.Except(before).Select(l => "+ " + l))).ShouldBe("", when);
        }

        private static string HashOf(string file) => Convert.ToHexString(SHA256.HashData(File.ReadAllBytes(file)));

        /// <summary>Of a folder in which Mukta makes its own the time is not promised.</summary>
        private long TimeOf(string path) =>
            path == Install || path == scratch.At("home") || path == scratch.At("home/.local") ? 0 : File.GetLastWriteTimeUtc(path).Ticks;

        private async Task<bool> IsDoneAsync(string deed) => deed switch
        {
            "undo" => (await OperationsAsync()).Any(o => o.TryGetProperty("undoes", out _) && o.GetProperty("state").GetString() == "done"),
            "purge" => (await OperationsAsync()).Count == 0,
            _ => (await OperationsAsync()) is { Count: > 0 } all && all.All(o => o.GetProperty("state").GetString() == "done"),
        };

        private async Task ShouldBeDoneAsync(string deed, string when)
        {
            switch (deed)
            {
                case "remove":
                    File.Exists(Path.Join(Install, "bin/pier")).ShouldBeFalse(when);
                    File.ReadAllText(Path.Join(Install, "screenshots/one.raw")).ShouldBe("a picture", when);
                    break;
                case "reset":
                    File.Exists(scratch.At("home/.config/pier/settings")).ShouldBeFalse(when);
                    break;
                case "caches":
                    Directory.EnumerateFiles(scratch.At("home/.cache/pier"), "*", SearchOption.AllDirectories).ShouldBeEmpty(when);
                    break;
                case "move":
                    Directory.Exists(Install).ShouldBeFalse(when);
                    File.ReadAllText(other.At("games/pier/screenshots/one.raw")).ShouldBe("a picture", when);
                    break;
                default:
                    (await MuktaAsync("verify", "pier")).Code.ShouldBe(0, when);
                    File.ReadAllText(Path.Join(Install, "screenshots/one.raw")).ShouldBe("a picture", when);
                    break;
            }
        }

        /// <summary>The operations that keep something, oldest first.</summary>
        private async Task<List<JsonElement>> OperationsAsync()
        {
            var listed = await MuktaAsync("operations", "--json");
            listed.Code.ShouldBe(0, listed.Err);
            return [.. listed.Json.GetProperty("operations").EnumerateArray().DistinctBy(o => o.GetProperty("operation").GetString())];
        }

        private Task<Answer> MuktaAsync(params string[] arguments) => Programs.RunAsync(scratch, "env", Words(arguments));

        private string[] Words(string[] arguments) =>
            ["-u", "XDG_CONFIG_HOME", "-u", "XDG_STATE_HOME", "-u", "XDG_DATA_HOME", "-u", "XDG_CACHE_HOME", $"HOME={scratch.At("home")}",
            Programs.Mukta, .. arguments, .. Options];
    }
}
