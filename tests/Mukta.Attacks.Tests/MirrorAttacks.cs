using Mukta.Cli.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>A mirror answers as no server should.</summary>
internal static class MirrorAttacks
{
    private static readonly (string Fault, string[] Words)[] Faults =
    [
        ("rate", []), ("rate", ["--rate", "300"]), ("rate", ["--method", "both"]), ("two-lengths", []), ("endless-chunks", []),
        ("endless-headers", []), ("endless-headers", ["--method", "both"]), ("control-characters", []),
        ("control-characters", ["--method", "both"]), ("compressed", []), ("unfolding", []), ("junk", []), ("junk", ["--method", "both"]),
    ];

    public static IEnumerable<Attack> Rows { get; } = Faults.SelectMany(f => new[]
    {
        new Attack($"the only mirror answers so: {f.Fault} {string.Join(' ', f.Words)}", async scene =>
        {
            using var mirror = await DamagedAsync(scene);
            using var proxy = await Mirror.StartProxyAsync(scene.Home, mirror.Url, f.Fault, f.Words);
            var before = scene.Home.Snapshot("games/pier");
            var answer = await scene.OnAsync("repair", "--yes", "--verbose", "--stall", "1", "--from", proxy.Url);
            (answer.Out + answer.Err).ShouldNotContain(c => (char.IsControl(c) && c != '\n') || c == '\u009b');
            (answer.Out + answer.Err).ShouldContain(proxy.Url);
            if (f.Fault == "two-lengths" && answer.Code == 0)
            {
                scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"), "its bytes may be right all the same");
                return;
            }

            answer.Code.ShouldBe(4, answer.Out + answer.Err);
            scene.Home.Snapshot("games/pier").ShouldBe(before);
        }),
        new Attack($"one of two mirrors answers so: {f.Fault} {string.Join(' ', f.Words)}", async scene =>
        {
            using var mirror = await DamagedAsync(scene);
            using var proxy = await Mirror.StartProxyAsync(scene.Home, mirror.Url, f.Fault, f.Words);
            var answer = await scene.OnAsync("repair", "--yes", "--stall", "1", "--from", proxy.Url, "--from", mirror.Url);
            answer.Code.ShouldBe(0, answer.Out + answer.Err);
            scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        }),
    });

    private static Task<Mirror> DamagedAsync(AttackScene scene)
    {
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        return Mirror.StartAsync(scene.Home, "release");
    }
}
