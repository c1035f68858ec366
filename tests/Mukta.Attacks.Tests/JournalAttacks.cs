using System.Globalization;
using System.IO.Hashing;
using System.Text;

namespace Mukta.Attacks.Tests;

/// <summary>
/// Somebody who may write in an install has made an operation's journal in it, or put something else where mukta's own belongs.
/// </summary>
internal static class JournalAttacks
{
    private const string Id = "20260101T000000Z-abcdef";

    private static readonly string[] Odd =
    [
        "null", "7", "[]", "{}", """{"change":"unheard-of","path":"bin/game"}""", """{"change":"set-aside"}""",
        """{"change":"set-aside","path":null}""", """{"change":"set-aside","path":7}""", """{"change":"set-aside","path":""}""",
        """{"change":"set-aside","path":"."}""", """{"change":"set-aside","path":".mukta/kept"}""",
        """{"change":"set-aside","path":{"bytes":"zz"}}""",
        """{"change":"set-aside","path":{"bytes":"6100"}}""", """{"change":"set-aside","path":{}}""",
        """{"change":"placed","path":"bin/game","staged":""}""",
        """{"change":"placed","path":"bin/game","staged":null}""", """{"change":"replaced","path":"bin","staged":"maps"}""",
        """{"change":"renamed","path":"bin/game","from":null}""", """{"change":"renamed","path":".mukta","from":"bin"}""",
        """{"change":"swapped","path":"bin","staged":"maps","inode":-1}""",
        """{"change":"patched","path":"bin/game","staged":"bin/game","offset":-5,"length":9223372036854775807,"stagedOffset":-1,"modifiedNs":0}""",
        """{"change":"patched","path":"bin/game","staged":"bin/game","offset":9223372036854775807,"length":9223372036854775807,"stagedOffset":9223372036854775807,"modifiedNs":-1}""",
        """{"change":"mode-set","path":"bin/game","mode":"zzz","to":"0644"}""",
        """{"change":"mode-set","path":"bin/game","mode":null,"to":null}""",
        """{"change":"mode-set","path":"bin/game","mode":"99999999999999999999","to":"0644"}""",
        """{"change":"folder-removed","path":"x","mode":"17777777777","user":4294967295,"group":-1,"modifiedNs":9223372036854775807}""",
        """{"change":"folder-removed","path":"bin","mode":"0755","user":0,"group":0,"modifiedNs":0}""",
        """{"change":"folder-time","path":"","modifiedNs":-9223372036854775808}""", """{"change":"folder-made","path":"bin"}""",
        """{"change":"copy-kept","path":"bin/game","staged":"bin"}""",
        """{"change":"service-changed","unit":null,"startup":null,"active":null}""",
        """{"change":"not-done","of":99999,"reason":null}""", """{"change":"left-behind","of":-1,"reason":null}""",
        """{"change":"step-done","step":null}""", """{"change":"noted","key":null,"text":null}""",
        """{"change":"area-used","place":null}""",
        """{"change":"area-used","place":"../../outside"}""", """{"change":"area-used","place":"/etc"}""",
        """{"change":"waits-for-restart","boot":null}""",
        """{"change":"undone","by":null}""", """{"change":"ended","undoes":-7}""",
        $$"""{"change":"set-aside","path":"{{new string('a', 5000)}}"}""",
    ];

    private static readonly string[] OddHeaders =
    [
        "null", "7", "{}", "[]", """{"format":"mukta.operation/2"}""",
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":null,"started":"2026-01-01T00:00:00Z","sequence":1}""",
        $$"""{"format":"mukta.operation/2","operation":"../../x","command":"repair","started":"2026-01-01T00:00:00Z","sequence":1}""",
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":"repair","started":"2026-01-01T00:00:00Z","sequence":-9223372036854775808}""",
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":"repair","started":"2026-01-01T00:00:00Z","sequence":9223372036854775807}""",
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":"repair","started":"9999-99-99","sequence":1}""",
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":"repair","started":"2026-01-01T00:00:00Z","sequence":1,"undoes":"../x"}""",
        $$"""{"format":"mukta.operation/9","operation":"{{Id}}","command":"repair","started":"2026-01-01T00:00:00Z","sequence":1}""",
    ];

    public static IEnumerable<Attack> Rows { get; } =
    [
        .. Odd.SelectMany((change, i) => new[] { (IsEnded: true, Change: change), (IsEnded: false, Change: change) }.Select(v => new Attack(
            string.Create(
            CultureInfo.InvariantCulture,
            $"journal {i}{(v.IsEnded ? "" : ", unfinished")}: {(change.Length > 70 ? change[..70] : change)}"), async scene =>
            {
                Forge(scene, Header(), $"[{change}{(v.IsEnded ? ",{\"change\":\"ended\"}" : "")}]");
                await LivesAsync(scene);
            }))),
        .. OddHeaders.Select((header, i) => new Attack(
            string.Create(CultureInfo.InvariantCulture, $"a journal begins oddly, {i}"), async scene =>
            {
                Forge(scene, header, """[{"change":"ended"}]""");
                await LivesAsync(scene);
            })),
        new("a service in an install's journal is not touched", async scene =>
        {
            Forge(scene, Header(),
                """[{"change":"service-changed","unit":"ssh.service","startup":"masked","active":"inactive"},{"change":"ended"}]""");
            await LivesAsync(scene);
        }),
        new("an undo gives nobody a program that runs as somebody else", async scene =>
        {
            Forge(scene, Header(), """
                [{"change":"mode-set","path":"bin/game","mode":"6755","to":"0755"},{"change":"folder-removed","path":"made","mode":"7777","user":0,"group":0,"modifiedNs":0},{"change":"ended"}]
                """.Trim());
            scene.GiveToUser();
            AttackScene.Run("chown", "0:0", scene.Home.At("games/pier/bin/game"));
            await scene.MuktaAsync("undo", Id, "--in", "games/pier", "--yes");
            ((int)File.GetUnixFileMode(scene.Home.At("games/pier/bin/game")) & 0xE00).ShouldBe(0);
            AttackScene.Run("sh", "-c", $"! find '{scene.Home.At("games")}' -user 0 -perm /7000 | grep .");
        }),
        new("somebody else's unfinished repair is not gone on with", async scene =>
        {
            scene.GiveToUser();
            Forge(scene, Header(),
                """[{"change":"noted","key":"request","text":""},{"change":"placed","path":"maps/harbour.pak","staged":"x"}]""",
                owner: "4321:4321");
            scene.Home.Flip("games/pier/bin/game", 5);
            var before = scene.Home.Snapshot("games/pier");
            var repair = await scene.AsUserAsync(
                AttackScene.User, "repair", "pier", "--profiles", "profiles", "--from", "release", "--yes");
            if (repair.Code == 0)
                await scene.AsUserAsync(AttackScene.User, "undo", "--profiles", "profiles", "--yes");
            scene.Home.Snapshot("games/pier").ShouldBe(before);
        }),
        Own("its folder is a link", ".mukta", (scene, path) => scene.Link(path, scene.Outside)),
        Own("its folder is a file", ".mukta", (scene, path) => scene.Home.Write(path, "")),
        Own("its folder is a pipe", ".mukta", (scene, path) => scene.Pipe(path)),
        Own("the staging folder is a link", ".mukta/staging", (scene, path) => scene.Link(path, scene.Outside)),
        Own("the kept files are a link", ".mukta/kept", (scene, path) => scene.Link(path, scene.Outside)),
        Own("the lock is a link", ".mukta/lock", (scene, path) => scene.Link(path, Path.Join(scene.Outside, "canary"))),
        Own("the lock is a link to nothing", ".mukta/lock", (scene, path) => scene.Link(path, Path.Join(scene.Outside, "made"))),
        Own("the lock is a pipe", ".mukta/lock", (scene, path) => scene.Pipe(path)),
        Own("the lock is a second name of a file outside", ".mukta/lock", (scene, path) =>
        {
            scene.Home.Write(path + "x", "");
            AttackScene.Run("ln", "-f", Path.Join(scene.Outside, "canary"), scene.Home.At(path));
        }),
        Own("a journal is a link", $".mukta/kept/{Id}/journal", (scene, path) => scene.Link(path, Path.Join(scene.Outside, "canary"))),
        Own("a journal is a pipe", $".mukta/kept/{Id}/journal", (scene, path) => scene.Pipe(path)),
        Own("a journal is a device", $".mukta/kept/{Id}/journal", (scene, path) => scene.Link(path, "/dev/zero")),
        Own("a journal is huge and empty", $".mukta/kept/{Id}/journal", (scene, path) => scene.Sparse(path, 1L << 30)),
        Own("a journal is as long as one may be, and empty", $".mukta/kept/{Id}/journal", (scene, path) => scene.Sparse(path, 512L << 20)),
        new("a journal has a beginning and then nothing for very long", async scene =>
        {
            Forge(scene, Header(), "[]");
            scene.Home.Truncate($"games/pier/.mukta/kept/{Id}/journal", 512L << 20);
            await LivesAsync(scene);
        }),
    ];

    /// <summary>The first line of a journal.</summary>
    public static string Header(string command = "repair", string product = "pier", string release = "1.0") =>
        $$"""{"format":"mukta.operation/2","operation":"{{Id}}","command":"{{command}}","product":"{{product}}","release":"{{release}}","started":"2026-01-01T00:00:00Z","sequence":77}""";

    /// <summary>Writes a journal into the install as somebody would who knows the format.</summary>
    public static void Forge(AttackScene scene, string header, string changes, string? owner = null)
    {
        var folder = $"games/pier/.mukta/kept/{Id}";
        var sum = 0UL;
        using var journal = new MemoryStream();
        foreach (var line in new[] { header, changes })
        {
            var json = Encoding.UTF8.GetBytes(line);
            sum = XxHash3.HashToUInt64(json, unchecked((long)sum));
            journal.Write(Encoding.ASCII.GetBytes(sum.ToString("x16", CultureInfo.InvariantCulture) + " "));
            journal.Write(json);
            journal.WriteByte((byte)'\n');
        }

        scene.Home.Write($"{folder}/journal", journal.ToArray());
        for (var i = 0; i < 3; i++)
            scene.Home.Write($"{folder}/files/{i}", "forged");
        if (owner is not null)
            AttackScene.Run("chown", "-R", owner, scene.Home.At("games/pier/.mukta"));
    }

    private static Attack Own(string name, string path, Action<AttackScene, string> set) =>
        new($"of mukta's own in the install, {name}", async scene =>
    {
        set(scene, $"games/pier/{path}");
        await LivesAsync(scene);
    });

    /// <summary>Everything that reads operations is run; that it does what it says is asked of the tests of operations.</summary>
    private static async Task LivesAsync(AttackScene scene)
    {
        await scene.MuktaAsync("undo", Id, "--profiles", "profiles", "--yes");
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        await scene.RepairAsync();
    }
}
