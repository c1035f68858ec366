using System.Globalization;
using Mukta.Tests;
using YamlDotNet.RepresentationModel;

namespace Mukta.Cli.Tests;

public sealed class DraftTests : IAsyncLifetime
{
    /// <summary>Words for people, and a name that anybody may choose.</summary>
    private static readonly string[] NotCounted = ["format", "product", "caches.name", "caches.holds"];

    private readonly Scratch scratch = new();

    public async ValueTask InitializeAsync()
    {
        (await Programs.RunAsync(scratch, Programs.StandIns, "scenario", ".")).Code.ShouldBe(0);
        foreach (var product in Products.Keys)
            (await RunAsync("manifest", "make", Products[product], "--product", product, "--out", $"{product}.meta4")).Code.ShouldBe(0);
    }

    private static readonly Dictionary<string, string> Products = new()
    {
        ["gannet-post"] = "games/gannet-post",
        ["kelp-and-kiln"] = "games/kelp-and-kiln",
        ["pierhead"] = "launcher/pierhead",
        ["tidewarden"] = "anti-cheat/tidewarden",
    };

    [Fact]
    public async Task Drafts_of_the_demos_products_find_nine_tenths_of_what_their_profiles_say()
    {
        scratch.Write(".cache/gannet-post/partial-17", "a download that was interrupted");
        scratch.Write("games/gannet-post/screenshots/first-flight.raw", "what a player adds");
        var (all, missing) = (0, new List<string>());
        foreach (var (product, install) in Products)
        {
            var answer = await RunAsync(
                "profile", "draft", product, "--install", install, "--manifest", $"{product}.meta4", "--out", $"drafts/{product}.yaml",
                "--profiles", "profiles");
            answer.Code.ShouldBe(0, answer.Err);
            var drafted = Facts($"drafts/{product}.yaml").ToHashSet();
            // What gets in a product's way, and what helps, is experience: no machine shows it.
            string[] experience = ["conflicts.", "codes.", "ladder.", "logs", "probe."];
            var said = Facts($"profiles/{product}.yaml").Where(f => !experience.Any(e => f.StartsWith(e, StringComparison.Ordinal))).ToList();
            all += said.Count;
            missing.AddRange(said.Where(f => !drafted.Contains(f)).Select(f => $"{product}: {f}"));
        }

        var share = (double)(all - missing.Count) / all;
        TestContext.Current.TestOutputHelper?.WriteLine(string.Create(
            CultureInfo.InvariantCulture, $"{all - missing.Count} of {all}, {share:P0}; not found: {string.Join(", ", missing)}"));
        share.ShouldBeGreaterThanOrEqualTo(0.9, string.Join("\n", missing));
        var check = await RunAsync(["profile", "check", "--here", .. Products.Keys.Select(p => $"drafts/{p}.yaml")]);
        check.Code.ShouldBe(0, check.Err);
        check.Out.ShouldNotContain("nothing here");
    }

    [Fact]
    public async Task What_the_processes_write_is_in_the_draft()
    {
        scratch.Write(
            "games/gannet-post/bin/fly",
            """
            exec 3>>"$HOME/.cache/feathers/wing-1/log" 4>>"$HOME/Documents/Gannet Letters/draft.txt" 5< launcher/pierhead/bin/pierhead
            sleep 30
            """);
        Directory.CreateDirectory(scratch.At(".cache/feathers/wing-1"));
        Directory.CreateDirectory(scratch.At("Documents/Gannet Letters"));
        File.Copy("/bin/sh", scratch.At("games/gannet-post/bin/flier")); // Named in no profile: other tests would take it for their game.
        using var game = Programs.Start(
            scratch, "env", $"HOME={scratch.Root}", "games/gannet-post/bin/flier", "games/gannet-post/bin/fly");
        try
        {
            var answer = await RunAsync(
                "profile", "draft", "gannet-post", "--install", "games/gannet-post", "--watch", "2", "--out", "draft.yaml", "--profiles",
                "profiles", "--json");
            answer.Code.ShouldBe(0, answer.Err);
            var lines = answer.Json.GetProperty("lines").EnumerateArray()
                .Select(l => $"{l.GetProperty("value").GetString()} {l.GetProperty("trust").GetString()}").ToList();
            lines.ShouldContain("${home}/Documents/Gannet Letters seen");
            lines.ShouldContain("${cache}/feathers/wing-* likely");
            lines.ShouldContain("flier seen", "its process");
            lines.ShouldContain("pierhead seen", "what it needs");
        }
        finally
        {
            game.Kill(entireProcessTree: true);
        }
    }

    [Fact]
    public async Task Names_that_a_profile_would_read_as_others_are_left_out()
    {
        scratch.Write(
            "games/gannet-post/bin/perch",
            """
            cd "$HOME/.cache"
            for d in 'gannet-post*' "$(printf 'gannet-post\377')" "$(printf 'gannet-post\033[2J')" 'gannet-post: {x}' "$(printf 'gannet-post\n  - /')"
            do mkdir "$d"; exec 3>>"$d/log"; done
            exec 4>>"$HOME/.cache/gannet-post*/log" 5>>"$(printf "$HOME/.cache/gannet-post\377/log")" 6>>"$HOME/.cache/gannet-post: {x}/log"
            echo ready; sleep 30
            """);
        File.Copy("/bin/sh", scratch.At("games/gannet-post/bin/percher"));
        using var game = Programs.Start(
            scratch, "env", $"HOME={scratch.Root}", "games/gannet-post/bin/percher", "games/gannet-post/bin/perch");
        try
        {
            (await game.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken)).ShouldBe("ready");
            var drafted = await RunAsync(
                "profile", "draft", "gannet-post", "--install", "games/gannet-post", "--watch", "1", "--out", "draft.yaml");
            drafted.Code.ShouldBe(0, drafted.Err);
            var text = File.ReadAllText(scratch.At("draft.yaml"));
            text.ShouldNotContain("gannet-post*");
            text.ShouldNotContain("\uFFFD");
            text.ShouldNotContain("\u001b");
            text.ShouldContain("\"${cache}/gannet-post: {x}/log\"");
            var check = await RunAsync("profile", "check", "--here", "draft.yaml");
            check.Code.ShouldBe(0, check.Err);
            check.Out.ShouldNotContain("nothing here");
        }
        finally
        {
            game.Kill(entireProcessTree: true);
        }
    }

    [Fact]
    public async Task A_draft_replaces_nothing_and_names_only_what_a_profile_may()
    {
        var again = await RunAsync("profile", "draft", "pierhead", "--install", "launcher/pierhead", "--profiles", "profiles");
        again.Code.ShouldBe(2);
        again.Err.ShouldContain("already there");
        var wide = await RunAsync("profile", "draft", "mine", "--install", ".", "--out", "mine.yaml");
        wide.Code.ShouldBe(2);
        wide.Err.ShouldContain("not a product's own");
        File.Exists(scratch.At("mine.yaml")).ShouldBeFalse();
        var odd = scratch.At("games/gannet-post/odd*name\n");
        Directory.CreateDirectory(odd);
        File.WriteAllText(Path.Join(odd, "\u001b[31mred"), "");
        var shown = await RunAsync("profile", "draft", "gannet-post", "--install", "games/gannet-post", "--out", "-");
        shown.Code.ShouldBe(0, shown.Err);
        shown.Out.ShouldNotContain("odd");
        shown.Out.ShouldNotContain("\u001b");
        scratch.Write("shown.yaml", shown.Out);
        (await RunAsync("profile", "check", "shown.yaml")).Code.ShouldBe(0);
    }

    [Fact]
    public async Task A_profile_is_tried_on_this_machine()
    {
        var answer = await RunAsync("profile", "check", "--here", "profiles/gannet-post.yaml");
        answer.Code.ShouldBe(0, answer.Err);
        answer.Out.ShouldContain("match nothing here");
        var json = (await RunAsync("profile", "check", "--here", "profiles/gannet-post.yaml", "--json")).Json.GetProperty("here");
        var marker = json.EnumerateArray().Single(t => t.GetProperty("key").GetString() == "marker");
        marker.GetProperty("bytes").GetInt64().ShouldBe(1800 * 1024);
        json.EnumerateArray().Where(t => t.GetProperty("isMissing").GetBoolean()).Select(t => t.GetProperty("path").GetString())
            .ShouldContain("/opt/saltlight/games/gannet-post*");
    }

    public ValueTask DisposeAsync()
    {
        scratch.Dispose();
        return ValueTask.CompletedTask;
    }

    private Task<Answer> RunAsync(params string[] arguments) => Programs.RunAsync(
        scratch, "env",
        [
            "-u", "XDG_CONFIG_HOME", "-u", "XDG_CACHE_HOME", "-u", "XDG_DATA_HOME", "-u", "XDG_STATE_HOME", $"HOME={scratch.Root}",
            $"MUKTA_SYSTEMCTL={scratch.At("host/systemctl")}", Programs.Mukta, .. arguments,
        ]);

    /// <summary>
    /// What a profile says, value by value, as far as it can be true of this machine: of the places of installs only those that are there.
    /// A pattern of files counts by the folder at the top that it leads into.
    /// </summary>
    private IEnumerable<string> Facts(string file)
    {
        using var text = File.OpenText(scratch.At(file));
        var yaml = new YamlStream();
        yaml.Load(text);
        return Facts("", yaml.Documents[0].RootNode).Where(f => !NotCounted.Contains(f.Key))
            .Where(f => f.Key != "installs.places" || Directory.Exists(f.Value.Replace("${home}", scratch.Root, StringComparison.Ordinal)))
            .Select(f => f.Key.StartsWith("components.", StringComparison.Ordinal) ? ("components", f.Value.Split('/')[0])
                : f.Key == "manifest.file" ? ("manifest", Path.GetFileName(f.Value)) : (f.Key, f.Value))
            .Select(f => $"{f.Item1}: {f.Item2}").Distinct();
    }

    private static IEnumerable<(string Key, string Value)> Facts(string key, YamlNode node) => node switch
    {
        YamlMappingNode map => map.SelectMany(p => Facts(key.Length == 0 ? $"{p.Key}" : $"{key}.{p.Key}", p.Value)),
        YamlSequenceNode list => list.SelectMany(item => Facts(key, item)),
        _ => [(key, ((YamlScalarNode)node).Value!)],
    };
}
