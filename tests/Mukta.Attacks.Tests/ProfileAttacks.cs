namespace Mukta.Attacks.Tests;

/// <summary>A profile, or the home that it is about, leads to where no product has anything.</summary>
internal static class ProfileAttacks
{
    public static IEnumerable<Attack> Rows { get; } =
    [
        Refused("a shortcut is a script of the shell", """shortcuts: [{entry: "/etc/profile.d/pier.sh", program: bin/game}]"""),
        Refused("a shortcut is the shell's own file", """shortcuts: [{entry: "${home}/.bashrc", program: bin/game}]"""),
        Refused("a cache is the whole configuration", """caches: [{name: a, places: ["${home}/.config"]}]"""),
        Refused("a cache is what lets a user in", """caches: [{name: a, places: ["${home}/.ssh"]}]"""),
        Refused("leftovers are libraries", "leftovers: [/usr/lib]"),
        Refused("settings are the system's", "settings: [/etc/ssh]"),
        Linked("a cache lies behind a link that leads outside", ".cache/pier", """caches: [{name: a, places: ["${cache}/pier/folder"]}]""",
        "caches clear"),
        Linked("settings lie behind a link that leads outside", ".config/pier", """settings: ["${config}/pier/folder"]""", "reset"),
        Linked("leftovers lie behind a link that leads outside", ".config/pier", """leftovers: ["${config}/pier/folder"]""", "remove"),
        Linked("temporary files lie behind a link that leads outside", ".cache/pier", """temporary: ["${cache}/pier/canary"]""", "caches clear",
        "temporary"),
        Linked("shortcuts lie behind a link that leads outside", ".local/share/applications",
        """shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/game}]""", "shortcuts restore"),
        Linked("user data lies behind a link that leads outside of all places", ".local/share/pier",
        """user-data: ["${data}/pier/canary"]""", "reinstall"),
        new("a title is a command", async scene =>
        {
            scene.Home.Write(
                "profiles/pier.yaml", AttackScene.Profile("""shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/game}]""")
                .Replace(
                "title: Pier", $"title: \"$(touch {scene.Outside}/made); `touch {scene.Outside}/made`\"", StringComparison.Ordinal));
            (await scene.OnAsync("shortcuts restore", "--yes")).Code.ShouldBe(0);
            await scene.OnAsync("check");
        }),
        Reads("a profile is a pipe", scene => scene.Pipe("profiles/quay.yaml")),
        Reads("a profile is a device", scene => scene.Link("profiles/quay.yaml", "/dev/zero")),
        Reads("a profile is huge", scene => scene.Sparse("profiles/quay.yaml", 1L << 30)),
        Reads("a profile has unclosed brackets",
        scene => scene.Home.Write("profiles/quay.yaml", "format: [mukta.profile/1\nproduct: {quay")),
        Reads("a profile is a thousand brackets", scene => scene.Home.Write("profiles/quay.yaml", new string('[', 100_000))),
        Reads("a profile is a folder", scene => Directory.CreateDirectory(scene.Home.At("profiles/quay.yaml"))),
        Reads("a profile is noise", scene => scene.Home.Fill("profiles/quay.yaml", 100_000, 5)),
        new("the folder of profiles cannot be read", async scene =>
        {
            scene.GiveToUser();
            File.SetUnixFileMode(scene.Home.At("profiles"), UnixFileMode.None);
            (await scene.AsUserAsync(AttackScene.User, "verify", "pier", "--profiles", "profiles")).Code.ShouldBe(3);
            File.SetUnixFileMode(scene.Home.At("profiles"), Mukta.Tests.Scratch.Program);
        }),
    ];

    private static Attack Refused(string name, string key) => new(name, async scene =>
    {
        scene.Home.Write("profiles/pier.yaml", AttackScene.Profile(key));
        (await scene.MuktaAsync("profile", "check", "profiles/pier.yaml")).Code.ShouldBe(2);
        (await scene.OnAsync("caches")).Code.ShouldBe(2);
    });

    private static Attack Linked(string name, string link, string key, params string[] command) => new(name, async scene =>
    {
        scene.Link(link, scene.Outside);
        scene.Home.Write("profiles/pier.yaml", AttackScene.Profile(key));
        await scene.OnAsync(command[0], [.. command[1..], "--yes"]);
        await scene.OnAsync(command[0], [.. command[1..], "--yes", "--root", "/"]);
    });

    /// <summary>Another product's profile is in nobody's way.</summary>
    private static Attack Reads(string name, Action<AttackScene> set) => new(name, async scene =>
    {
        set(scene);
        (await scene.OnAsync("verify")).Code.ShouldBe(0);
        (await scene.MuktaAsync("installs", "--profiles", "profiles")).Code.ShouldBe(0);
        await scene.MuktaAsync("profile", "check", "profiles/quay.yaml");
    });
}
