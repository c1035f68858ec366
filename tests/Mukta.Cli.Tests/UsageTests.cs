using Mukta.Tests;

namespace Mukta.Cli.Tests;

public sealed class UsageTests : IDisposable
{
    private readonly Scratch scratch = new();

    public static TheoryData<string> Commands =>
        new(
        "verify", "repair", "check", "stop", "services", "services restore", "services restart", "services stop", "caches", "caches clear",
        "shortcuts", "shortcuts restore", "installs", "installs add", "installs forget", "installs sweep", "move", "reinstall", "remove",
        "reset", "setup install", "setup repair", "setup remove", "undo", "operations", "operations purge", "profile", "profile check", "profile draft",
        "profile show", "manifest make", "manifest sign", "manifest convert", "manifest show", "manifest compare", "manifest releases", "bundle make", "bundle show", "demo", "completion", "help");

    [Theory]
    [MemberData(nameof(Commands))]
    public async Task Help_fits_a_terminal_and_ends_with_examples(string command)
    {
        var answer = await Programs.MuktaAsync(scratch, [.. command.Split(' '), "--help"]);
        answer.Code.ShouldBe(0);
        answer.Err.ShouldBeEmpty();
        answer.Out.Split('\n').ShouldAllBe(l => l.Length <= 80 && !l.EndsWith(' '));
        answer.Out.TrimEnd().Split('\n').Length.ShouldBeLessThanOrEqualTo(45);
        (await Programs.MuktaAsync(scratch, ["help", .. command.Split(' ')])).Out.ShouldBe(answer.Out);
        answer.Out.ShouldContain("Examples:");
        answer.Out[answer.Out.IndexOf("Examples:", StringComparison.Ordinal)..].Replace("  sudo mukta", "  mukta", StringComparison.Ordinal)
            .Split('\n').Count(l => l.StartsWith($"  mukta {command} ", StringComparison.Ordinal) || l == $"  mukta {command}").ShouldBe(2);
    }

    [Fact]
    public async Task Whoever_reads_may_have_seen_enough()
    {
        using var game = await GameFolder.MakeAsync();
        var answer = await Programs.RunAsync(
            game.Scratch, "bash", "-c",
            $"'{Programs.Mukta}' verify game --manifest game.meta4 --json | (exec <&-; sleep 2); echo code ${{PIPESTATUS[0]}}");
        answer.Out.ShouldBe("code 0\n");
        answer.Err.ShouldBeEmpty();
    }

    [Fact]
    public async Task Without_a_command_the_help_is_shown() => (await Programs.MuktaAsync(scratch)).Out.ShouldContain("Exit codes:");

    [Theory]
    [InlineData("verify", "no manifest to compare this folder with")]
    [InlineData("undo --in", "--in needs a value: --in DIR")]
    [InlineData("remove", "PRODUCT is missing.")]
    [InlineData("repiar game", "Unknown command \"repiar\"; did you mean \"repair\"?")]
    [InlineData("repair game --dry-rum", "Unknown option --dry-rum; did you mean \"--dry-run\"?")]
    [InlineData("undo --dry-rum", "Unknown option --dry-rum; did you mean \"--dry-run\"?")]
    [InlineData("stop --dry-rum", "Unknown option --dry-rum; did you mean \"--dry-run\"?")]
    [InlineData("verify -x", "Unknown option -x")]
    [InlineData("undo -- --dry-rum", "no such operation")]
    [InlineData("repair game --from", "--from needs a value: --from URL|DIR")]
    [InlineData("verify one two", "There is one word too many: two")]
    [InlineData("services resotre", "Unknown product or command \"resotre\"; did you mean \"restore\"?")]
    [InlineData("help verfy", "did you mean \"verify\"?")]
    [InlineData("verify .", "Name the manifest with --manifest")]
    [InlineData("verify nothing", "no profile for the product")]
    [InlineData("installs --profiles nowhere", "no such folder of profiles")]
    [InlineData("verify game --manifest game.meta4 --fast", "--fast")]
    [InlineData("reinstall x --scope all", "--scope cannot be \"all\". Choose one of: alone, with-needs, with-games.")]
    [InlineData("manifest convert a b --format zip", "--format cannot be \"zip\". Choose one of: metalink, gnu, bsd, bagit.")]
    [InlineData("manifest", "Which one: make, sign, convert, show, compare, releases?")]
    [InlineData("manifest make . --out x --piece-size 10", "1 KiB to 1 GiB")]
    [InlineData("manifest make . --out x --piece-size abc", "1 KiB to 1 GiB")]
    [InlineData("manifest make . --out x --sequence abc", "abc")]
    [InlineData("stop game --seconds abc", "a whole number from 0 to 600, not 'abc'")]
    [InlineData("stop game --seconds 601", "a whole number from 0 to 600, not '601'")]
    [InlineData("stop game --seconds -1", "a whole number from 0 to 600, not '-1'")]
    [InlineData("repair game --stall abc", "a whole number from 1 to 600, not 'abc'")]
    [InlineData("reinstall game --stall 0", "a whole number from 1 to 600, not '0'")]
    [InlineData("repair game --max-rate abc", "such as 262144, 256KiB or 4MiB")]
    [InlineData("setup", "Which one: install, repair, remove?")]
    [InlineData("manifest make . --out x --expires soon", "not a date")]
    [InlineData("manifest make . --out x --base-url ftp://x/", "not an http or https URL")]
    [InlineData("verify . --manifest nowhere.meta4", "cannot be opened")]
    [InlineData("manifest make nowhere --out x", "no such folder")]
    [InlineData("manifest make . --out x", "no file to list")]
    public async Task Bad_usage_is_answered_with_2_and_what_to_do(string line, string says)
    {
        var answer = await Programs.MuktaAsync(scratch, line.Split(' '));
        answer.Code.ShouldBe(2);
        answer.Out.ShouldBeEmpty();
        answer.Err.ShouldContain(says);
        answer.Err.TrimEnd().Split('\n').Length.ShouldBe(3, "what happened, to which object, what to do next");
    }

    [Fact]
    public async Task What_is_no_file_is_never_waited_for()
    {
        (await Programs.RunAsync(scratch, "mkfifo", "pipe")).Code.ShouldBe(0);
        scratch.Write("game/a", "a");
        foreach (var (what, arguments) in new (string, string[])[]
        {
            ("manifest", ["verify", "game", "--manifest", "pipe"]), ("manifest", ["manifest", "show", "/dev/zero"]),
            ("profile", ["profile", "check", "pipe"]), ("profile", ["profile", "check", "/dev/zero"]),
        })
        {
            var answer = await Programs.RunAsync(scratch, "timeout", ["60", Programs.Mukta, .. arguments]);
            (answer.Code, answer.Err).ShouldSatisfyAllConditions(
                a => a.Code.ShouldBe(2), a => a.Err.ShouldContain($"The {what} cannot be opened."));
        }
    }

    [Fact]
    public async Task A_bad_profile_keeps_no_other_from_being_checked()
    {
        const string Good = "profile: mukta/1\n";
        scratch.Write("none.yaml", Good);
        (await Programs.RunAsync(scratch, Programs.StandIns, "scenario", scratch.Root)).Code.ShouldBe(0);
        string[] files = ["profiles/gannet-post.yaml", "none.yaml", "nowhere.yaml", "profiles/pierhead.yaml"];
        var answer = await Programs.MuktaAsync(scratch, ["profile", "check", .. files]);
        answer.Code.ShouldBe(2);
        answer.Out.Split('\n').Count(l => l.StartsWith("ok", StringComparison.Ordinal)).ShouldBe(2);
        answer.Err.ShouldContain("none.yaml, line 1");
        answer.Err.ShouldContain("nowhere.yaml");
        var document = (await Programs.MuktaAsync(scratch, ["profile", "check", "--json", .. files])).Json;
        (document.GetProperty("profiles").GetArrayLength(), document.GetProperty("faults").GetArrayLength()).ShouldBe((2, 2));
    }

    [Fact]
    public async Task An_error_is_a_document_too()
    {
        var answer = await Programs.MuktaAsync(scratch, "verify", "nowhere", "--manifest", "nowhere.meta4", "--json");
        answer.Code.ShouldBe(2);
        answer.Json.GetProperty("format").GetString().ShouldBe("mukta.error/1");
        answer.Json.GetProperty("exitCode").GetInt32().ShouldBe(2);
    }

    [Fact]
    public async Task A_hostile_manifest_touches_nothing_and_says_the_line()
    {
        scratch.Write("game/a", "a");
        scratch.Write("evil.meta4", """
            <metalink xmlns="urn:ietf:params:xml:ns:metalink">
             <file name="../outside"><size>0</size><hash type="md5">d41d8cd98f00b204e9800998ecf8427e</hash></file>
            </metalink>
            """);
        var before = scratch.Snapshot(".");
        foreach (var command in new[] { "verify", "repair" })
        {
            var answer = await Programs.MuktaAsync(
                scratch, command, "game", "--manifest", "evil.meta4", command == "repair" ? "--yes" : "--all");
            answer.Code.ShouldBe(2);
            answer.Err.ShouldContain("evil.meta4, line 2, column 3");
        }

        scratch.Snapshot(".").ShouldBe(before);
    }

    public void Dispose() => scratch.Dispose();
}
