
namespace Mukta.Attacks.Tests;

/// <summary>Names and texts from outside try to command the terminal, or to show something else than they are.</summary>
internal static class TerminalAttacks
{
    private const string Evil = "\u001b[2J\u001b]0;owned\u0007\u009b31m\u202emal";

    public static IEnumerable<Attack> Rows { get; } =
    [
        new("an operation's product and command command the terminal", async scene =>
        {
            var odd = System.Text.Json.JsonEncodedText.Encode(Evil).ToString();
            JournalAttacks.Forge(
                scene, JournalAttacks.Header(odd, odd, odd),
                """[{"change":"noted","key":"request","text":"\u001b[2J"},{"change":"ended"}]""");
            await EachAsync(scene, ["operations", "--profiles", "profiles"], ["undo", "--profiles", "profiles", "--dry-run"]);
        }),
        new("a product's title commands the terminal", async scene =>
        {
            scene.Home.Write(
                "profiles/pier.yaml", AttackScene.Profile()
                .Replace("title: Pier", "title: \"\u202eyp\u2066\u200eer\"", StringComparison.Ordinal));
            await EachAsync(
                scene, ["profile", "show", "--profiles", "profiles"], ["verify", "pier", "--profiles", "profiles"],
                ["installs", "--profiles", "profiles"],
                ["profile", "check", "profiles/pier.yaml"], ["check", "pier", "--profiles", "profiles"]);
        }),
        new("a manifest's product and release command the terminal", async scene =>
        {
            var manifest = File.ReadAllText(scene.Home.At("profiles/pier.meta4"))
                .Replace(">1.0<", ">1\u202e0\u009b31m<", StringComparison.Ordinal);
            scene.Home.Write("m.meta4", manifest);
            await EachAsync(scene, ["manifest", "show", "m.meta4"], ["verify", "games/pier", "--manifest", "m.meta4"]);
        }),
        new("a name in the install commands the terminal", async scene =>
        {
            scene.Home.Write($"games/pier/{Evil}", "stray");
            await EachAsync(
                scene, ["verify", "games/pier", "--manifest", "profiles/pier.meta4"],
                ["verify", "games/pier", "--manifest", "profiles/pier.meta4", "--json"]);
        }),
        new("what is typed commands the terminal", async scene => await EachAsync(
            scene, ["verify", Evil], [Evil], ["verify", "pier", $"--{Evil}"], ["repair", Evil, "--manifest", Evil], ["undo", Evil],
            ["profile", "check", Evil])),
    ];

    public static async Task EachAsync(AttackScene scene, params string[][] commands)
    {
        foreach (var command in commands)
        {
            var answer = await scene.MuktaAsync(command);
            foreach (var text in new[] { answer.Out, answer.Err })
                text.ShouldNotContain(c => IsUnsafe(c), $"{string.Join(' ', command)}: {text.Replace('\u001b', '^')}");
        }
    }

    private static bool IsUnsafe(char c) =>
        (char.IsControl(c) && c is not ('\n' or '\t')) || c is >= '\u202A' and <= '\u202E' or >= '\u2066' and <= '\u2069';
}
