using System.Formats.Tar;

namespace Mukta.Attacks.Tests;

/// <summary>Cases, their reports and what other desks send lead outside, take root's rights or command the terminal.</summary>
internal static class CaseAttacks
{
    private const string Evil = "\u001b[2J\u001b]0;owned\u0007\u009b31m\u202emal", Database = ".local/state/mukta/cases.db";

    private const string Ladder = """
        logs: ["${home}/logs/*.log"]
        probe: {program: bin/probe}
        codes: [{code: P-1, means: it creaks, rungs: [files]}]
        ladder: [{rung: files, remedy: repair}]
        """;

    public static IEnumerable<Attack> Rows { get; } =
    [
        new("a complaint commands the terminal", async scene =>
        {
            Prepare(scene);
            (await scene.OnAsync("case open", "--symptom", Evil, "--reference", Evil, "--offline")).Code.ShouldBe(0);
            await TerminalAttacks.EachAsync(
                scene, ["case", "note", Evil, "--profiles", "profiles"], ["case", "list"], ["case", "show", "--why", "--profiles", "profiles"],
                ["report", "--format", "text", "--profiles", "profiles"], ["report", "--out", "-", "--profiles", "profiles"],
                ["case", "next", "--yes", "--profiles", "profiles"]);
        }),
        new("a user's probe takes root's rights", async scene =>
        {
            Prepare(scene);
            scene.Home.Write("games/pier/bin/probe", "#!/bin/sh\nid -u > who; id -g >> who\n"u8.ToArray(), Mukta.Tests.Scratch.Program);
            File.SetUnixFileMode(scene.Home.At("games/pier/bin/game"), Mukta.Tests.Scratch.Usual);
            scene.GiveToUser();
            (await scene.OnAsync("case open", "--code", "P-1", "--offline")).Code.ShouldBe(0);
            (await scene.MuktaAsync("case", "next", "--yes", "--profiles", "profiles")).Out.ShouldContain("Its probe bin/probe");
            File.ReadAllText(scene.Home.At("games/pier/who")).ShouldBe($"{AttackScene.User}\n{AttackScene.User}\n");
        }),
        new("a log for the vendor leads to what only root may read", async scene =>
        {
            Prepare(scene);
            File.SetUnixFileMode(Path.Join(scene.Outside, "canary"), UnixFileMode.UserRead);
            scene.Remember();
            scene.Link("logs/pier.log", Path.Join(scene.Outside, "canary"));
            scene.GiveToUser();
            (await scene.OnAsync("case open", "--code", "P-1", "--offline")).Code.ShouldBe(0);
            (await scene.MuktaAsync("report", "--for-vendor", "v.tar", "--yes", "--profiles", "profiles")).Code.ShouldBe(0);
            using var tar = new TarReader(File.OpenRead(scene.Home.At("v.tar")));
            while (await tar.GetNextEntryAsync(cancellationToken: TestContext.Current.CancellationToken) is { } entry)
                entry.Name.ShouldNotContain("logs/");
        }),
        new("a report's file leads outside", async scene =>
        {
            Prepare(scene);
            scene.Link("report-1.html", Path.Join(scene.Outside, "made"));
            (await scene.OnAsync("case open", "--code", "P-1", "--offline")).Code.ShouldBe(0);
            (await scene.MuktaAsync("report", "--profiles", "profiles")).Code.ShouldBe(3);
            (await scene.MuktaAsync("outcomes", "--export", "report-1.html")).Code.ShouldBe(3);
        }),
        Kept("the cases are kept behind a link that leads outside", scene => scene.Link(Database, Path.Join(scene.Outside, "canary"))),
        Kept("the cases are kept in a pipe", scene => scene.Pipe(Database)),
        Kept("the cases are kept in noise", scene => scene.Home.Fill(Database, 100_000, 5)),
        Sent("what another desk sends is a pipe", scene => scene.Pipe("sent.jsonl")),
        Sent("what another desk sends is a device", scene => scene.Link("sent.jsonl", "/dev/zero")),
        Sent("what another desk sends is huge", scene => scene.Sparse("sent.jsonl", 1L << 32)),
        Sent("what another desk sends is one line", scene => scene.Home.Write("sent.jsonl", new string('[', 60_000_000))),
        Sent("what another desk sends is noise", scene => scene.Home.Fill("sent.jsonl", 1_000_000, 5)),
    ];

    private static void Prepare(AttackScene scene) => scene.Home.Write("profiles/pier.yaml", AttackScene.Profile(Ladder));

    private static Attack Kept(string name, Action<AttackScene> attack) => new(name, async scene =>
    {
        Prepare(scene);
        attack(scene);
        foreach (var command in new string[][] { ["case", "list"], ["case", "open", "pier", "--code", "P-1", "--offline", "--profiles", "profiles"], ["outcomes"] })
            (await scene.MuktaAsync(command)).Code.ShouldBeOneOf([2, 3], string.Join(' ', command));
    });

    private static Attack Sent(string name, Action<AttackScene> attack) => new(name, async scene =>
    {
        attack(scene);
        (await scene.MuktaAsync("outcomes", "--import", "sent.jsonl")).Code.ShouldBeOneOf(2, 3);
        (await scene.MuktaAsync("outcomes")).Out.ShouldStartWith("No outcomes.");
    });
}
