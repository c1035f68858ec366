using System.Diagnostics;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>Machines without a network, a desk with one, and a stick between them.</summary>
public sealed class BundleTests : IAsyncLifetime
{
    private Home home = null!;

    [Fact]
    public async Task Two_machines_are_repaired_from_one_stick_that_holds_every_piece_once()
    {
        home.Scratch.CopyTree("games/gannet-post", "other");
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 10);
        home.Scratch.Flip("other/maps/harbour.pak", 10);
        File.Delete(home.Scratch.At("other/maps/pier.pak"));
        var needed = await FindingsAsync("one.json", "gannet-post", "--profiles", "profiles");
        needed += await FindingsAsync("two.json", "other", "--manifest", "gannet-post.meta4");
        using var mirror = await Mirror.StartAsync(home.Scratch, "mirror/gannet-post/1.4.2");
        var planned = await MakeAsync(mirror, "-n");
        planned.Code.ShouldBe(0, planned.Err);
        planned.Out.ShouldSatisfyAllConditions(
            o => o.ShouldStartWith("Plan for a bundle in stick\n  gannet-post 1.4.2\n    for        one.json, two.json\n    takes      3 pieces of 2 files\n"),
            o => o.ShouldContain("Dry run: nothing was changed."));
        Directory.Exists(home.Scratch.At("stick")).ShouldBeFalse();

        var made = await MakeAsync(mirror, "--json");
        made.Code.ShouldBe(0, made.Err);
        var bytes = made.Json.GetProperty("bytesToFetch").GetInt64();
        bytes.ShouldBe(needed - (1 << 20), "they share one piece");
        Mirror.BodyBytes(mirror.End()).ShouldBe(bytes);
        (await home.MuktaAsync("bundle", "show", "stick")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, a.Err), a => a.Out.ShouldStartWith("Sound bundle: 3 pieces, "), a => a.Out.ShouldContain("for        one.json, two.json"));
        (await home.MuktaAsync("bundle", "show", "stick", "--json")).Json.GetProperty("isSound").GetBoolean().ShouldBeTrue();
        (await Programs.RunAsync(
            home.Scratch, "bash", "-c", "cd stick && sha256sum -c --strict --quiet manifest-sha256.txt && sha256sum -c --strict --quiet tagmanifest-sha256.txt"))
            .Code.ShouldBe(0, "it is a bag for others, too");
        (await Bags.CheckAsync(home.Scratch, "stick")).Out.ShouldBe("valid\n");
        File.ReadAllText(home.Scratch.At("stick/bag-info.txt")).ShouldContain("Payload-Oxum: ");
        Directory.GetDirectories(home.Scratch.At(".cache/mukta"), "bundle-*").ShouldBeEmpty("nothing is left of the work");

        (await home.MuktaAsync("repair", "gannet-post", "--profiles", "profiles", "--from", "stick", "--offline", "-y")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(0, a.Err), a => a.Out.ShouldContain(" from stick\n"));
        (await home.MuktaAsync("repair", "other", "--manifest", "stick/data/manifests/gannet-post.meta4", "--from", "stick", "--offline", "-y")).Code.ShouldBe(0);
        home.Scratch.Snapshot("other").ShouldBe(home.Scratch.Snapshot("games/gannet-post"));
    }

    [Fact]
    public async Task What_was_changed_on_the_stick_is_told_and_repairs_nothing()
    {
        home.Scratch.Flip("games/gannet-post/maps/harbour.pak", 10);
        await FindingsAsync("one.json", "gannet-post", "--profiles", "profiles");
        using var mirror = await Mirror.StartAsync(home.Scratch, "mirror/gannet-post/1.4.2");
        (await MakeAsync(mirror)).Code.ShouldBe(0);
        home.Scratch.Flip("stick/data/pieces-0001", 99);
        (await home.MuktaAsync("bundle", "show", "stick")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(1), a => a.Out.ShouldStartWith("Damaged bundle: "), a => a.Out.ShouldContain("pieces-0001"));
        var before = home.Scratch.Snapshot("games/gannet-post");
        var refused = await home.MuktaAsync("repair", "gannet-post", "--profiles", "profiles", "--from", "stick", "-y");
        refused.Code.ShouldBe(4, refused.Out + refused.Err);
        home.Scratch.Snapshot("games/gannet-post").ShouldBe(before);
        File.AppendAllText(home.Scratch.At("stick/manifest-sha256.txt"), "x");
        (await home.MuktaAsync("bundle", "show", "stick")).Err.ShouldContain("is not the one that was put there");
        (await home.MuktaAsync("bundle", "show", "mirror")).ShouldSatisfyAllConditions(
            a => a.Code.ShouldBe(2), a => a.Err.ShouldContain("This folder is not a bundle."));
    }

    [Fact]
    public async Task A_stick_that_is_too_small_is_told_and_takes_what_fits_on_request()
    {
        Need.Root();
        File.Delete(home.Scratch.At("games/gannet-post/maps/harbour.pak"));
        File.Delete(home.Scratch.At("games/gannet-post/maps/pier.pak"));
        await FindingsAsync("one.json", "gannet-post", "--profiles", "profiles");
        using var mirror = await Mirror.StartAsync(home.Scratch, "mirror/gannet-post/1.4.2");
        var make = $"env HOME=. '{Programs.Mukta}' bundle make --profiles profiles --for one.json --from {mirror.Url} --out stick/bundle";
        var answer = await Programs.RunAsync(home.Scratch, "unshare", "--mount", "bash", "-c", $"""
            mkdir stick && mount -t tmpfs -o size=7m none stick || exit 9
            {make}; echo "code $?"
            ls -A stick
            {make} --fit; echo "code $?"
            '{Programs.Mukta}' bundle show stick/bundle
            """);
        Need.That(answer.Code != 9, "no file system in memory can be mounted");
        answer.Err.ShouldContain("The bundle needs ");
        answer.Err.ShouldContain("would fit: to take those, add --fit.");
        answer.Out.ShouldStartWith("code 3\nPlan for a bundle in stick/bundle\n", customMessage: "and nothing was made: " + answer.Err);
        answer.Out.ShouldContain("  no room for  1 file\n    maps/harbour.pak");
        answer.Out.ShouldContain("Bundle made in part: ");
        answer.Out.ShouldContain("code 1\nSound bundle, in part: 2 pieces");
    }

    [Fact]
    public async Task Ctrl_C_leaves_nothing_of_a_bundle_and_says_so()
    {
        File.Delete(home.Scratch.At("games/gannet-post/maps/harbour.pak"));
        await FindingsAsync("one.json", "gannet-post", "--profiles", "profiles");
        using var mirror = await Mirror.StartAsync(home.Scratch, "mirror/gannet-post/1.4.2", """[{"kind":"slow","bytes":100000}]""");
        using var process = home.Start("bundle", "make", "--for", "one.json", "--profiles", "profiles", "--from", mirror.Url, "--out", "stick");
        while (!HasBegun(home.Scratch.At(".cache/mukta")))
            await Task.Delay(20, TestContext.Current.CancellationToken);
        using (var interrupt = Process.Start("kill", ["-INT", $"{process.Id}"]))
            await interrupt.WaitForExitAsync(TestContext.Current.CancellationToken);
        var answer = await Programs.EndAsync(process);
        answer.Code.ShouldBe(130, answer.Out + answer.Err);
        answer.Err.ShouldContain("Nothing of the bundle was left behind.");
        Directory.GetFileSystemEntries(home.Scratch.At("stick")).ShouldBeEmpty();
        Directory.GetDirectories(home.Scratch.At(".cache/mukta"), "bundle-*").ShouldBeEmpty();
    }

    /// <summary>Whether something is being downloaded.</summary>
    private static bool HasBegun(string cache) =>
        Directory.Exists(cache) && Directory.GetDirectories(cache, "bundle-*").Any(d => Directory.GetFileSystemEntries(d).Length > 0);

    [Fact]
    public async Task A_bundle_of_a_product_installs_it_where_no_mirror_is()
    {
        using var mirror = await Mirror.StartAsync(home.Scratch, "mirror/kelp-and-kiln/0.9.0");
        var made = await home.MuktaAsync("bundle", "make", "kelp-and-kiln", "--profiles", "profiles", "--from", mirror.Url, "--out", "stick");
        made.Code.ShouldBe(0, made.Err);
        made.Out.ShouldContain("for        the whole release");
        mirror.End();
        var installed = await home.MuktaAsync("installs", "kelp-and-kiln", "--profiles", "profiles", "--json");
        var path = installed.Json.GetProperty("products")[0].GetProperty("installs")[0].GetProperty("path").GetString()!;
        Directory.Delete(path, recursive: true);
        (await home.MuktaAsync("repair", "kelp-and-kiln", "--profiles", "profiles", "--from", "stick", "--offline", "-y")).Code.ShouldBe(0);
        (await home.MuktaAsync("verify", "kelp-and-kiln", "--profiles", "profiles")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task What_cannot_become_a_bundle_is_said()
    {
        await FindingsAsync("good.json", "gannet-post", "--profiles", "profiles");
        home.Scratch.Write("odd.json", "{}");
        home.Scratch.Write("game/a", "a");
        (await home.MuktaAsync("manifest", "make", "game", "--out", "plain.meta4")).Code.ShouldBe(0);
        File.Delete(home.Scratch.At("game/a"));
        await FindingsAsync("plain.json", "game", "--manifest", "plain.meta4");
        home.Scratch.Write("used/x", "x");
        foreach (var (words, code, says) in new (string[], int, string)[]
        {
            (["--out", "stick"], 2, "Name either a product or findings."),
            (["gannet-post", "--for", "good.json", "--out", "stick"], 2, "Name either a product or findings."),
            (["--for", "odd.json", "--out", "stick"], 2, "The findings cannot be used"),
            (["--for", "none.json", "--out", "stick"], 2, "The findings cannot be opened."),
            (["--for", "plain.json", "--out", "stick"], 2, "The findings do not say of which product they are."),
            (["--for", "plain.json", "--manifest", "gannet-post.meta4", "--out", "stick"], 2, "of another release than the manifest"),
            (["gannet-post", "--out", "used"], 2, "This is not a new or an empty folder."),
            (["--for", "plain.json", "--manifest", "plain.meta4", "--from", "used", "--out", "stick"], 4, "has no such file"),
            (["--for", "good.json", "--out", "stick"], 0, "Nothing is needed, so no bundle was made."),
        })
        {
            var answer = await home.MuktaAsync(["bundle", "make", .. words, "--profiles", "profiles"]);
            answer.Code.ShouldBe(code, string.Join(' ', words) + answer.Out + answer.Err);
            (answer.Out + answer.Err).ShouldContain(says);
            if (Directory.Exists(home.Scratch.At("stick")))
                Directory.Delete(home.Scratch.At("stick"), recursive: true);
        }
    }

    public async ValueTask InitializeAsync() => home = await Home.MakeAsync();

    public ValueTask DisposeAsync()
    {
        home.Dispose();
        return ValueTask.CompletedTask;
    }

    private Task<Answer> MakeAsync(Mirror mirror, params string[] more) => home.MuktaAsync([
        "bundle", "make", "--profiles", "profiles", "--out", "stick", "--from", mirror.Url,
        .. Directory.GetFiles(home.Scratch.Root, "*.json").Select(Path.GetFileName).Where(f => f is "one.json" or "two.json").Order()
            .SelectMany(f => new[] { "--for", f! }),
        .. more]);

    /// <summary>Writes a machine's findings, and answers what they need.</summary>
    private async Task<long> FindingsAsync(string file, params string[] words)
    {
        var answer = await home.MuktaAsync(["verify", .. words, "--json"]);
        home.Scratch.Write(file, answer.Out);
        return answer.Json.GetProperty("bytesToFetch").GetInt64();
    }
}
