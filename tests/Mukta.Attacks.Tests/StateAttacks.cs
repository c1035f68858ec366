using Mukta.Cli.Tests;

namespace Mukta.Attacks.Tests;

/// <summary>A user has put something into their folder for state, and root runs Mukta on their products.</summary>
internal static class StateAttacks
{
    private const string State = ".local/state/mukta";

    public static IEnumerable<Attack> Rows { get; } =
    [
        WithLink("the log is a link to a file outside", $"{State}/log/mukta.log", "canary"),
        WithLink("the log is a link to a file that is not there", $"{State}/log/mukta.log", "made"),
        WithLink("the log's folder is a link", $"{State}/log", "folder"),
        WithLink("the database is a link to a file outside", $"{State}/state.db", "canary"),
        WithLink("the database is a link to a file that is not there", $"{State}/state.db", "made.db"),
        WithLink("the database's journal is a link", $"{State}/state.db-journal", "canary"),
        WithLink("the counter of operations is a link", $"{State}/sequence", "canary"),
        WithLink("mukta's folder for state is a link", State, "folder"),
        WithLink("the folder for state is a link", ".local/state", "folder"),
        WithLink("the kept files are a link", $"{State}/kept", "folder"),
        WithLink("the waiting operations are a link", $"{State}/waiting", "folder"),
        WithPipe("the log is a pipe", $"{State}/log/mukta.log"),
        WithPipe("the next log is a pipe", $"{State}/log/mukta_001.log"),
        WithPipe("the database is a pipe", $"{State}/state.db"),
        WithPipe("the counter of operations is a pipe", $"{State}/sequence"),
        WithPipe("a notice of a waiting operation is a pipe", $"{State}/waiting/20260101T000000Z-abcdef.json"),
        new("the database is of somebody else's making", async scene =>
        {
            scene.Home.Fill($"{State}/state.db", 50_000, 7);
            await WorksAsync(scene);
        }),
        new("the database is another name of an empty file of root's", async scene =>
        {
            Directory.CreateDirectory(scene.Home.At(State));
            scene.GiveToUser();
            scene.Home.Write("of-root", [], UnixFileMode.UserRead | UnixFileMode.UserWrite);
            AttackScene.Run("ln", scene.Home.At("of-root"), scene.Home.At($"{State}/state.db"));
            await WorksAsync(scene);
            new FileInfo(scene.Home.At("of-root")).Length.ShouldBe(0);
        }),
        new("notices of waiting operations are broken", async scene =>
        {
            foreach (var (notice, i) in new[] { "", "null", "[]", "{}", "{\"operation\":null}", "{\"operation\":7}",
                "{\"operation\":\"../../x\",\"commandLine\":\"x\",\"boot\":\"x\"}",
                "{\"operation\":\"a\",\"commandLine\":null,\"boot\":null}", "\0\0\0" }.Select((n, i) => (n, i)))
                scene.Home.Write($"{State}/waiting/{i}.json", notice);
            await WorksAsync(scene);
        }),
        new("the library of SQLite is not there", async scene =>
        {
            AttackScene.Run("cp", "-rL", Programs.Folder, scene.Home.At("programs"));
            AttackScene.Run("find", scene.Home.At("programs"), "-name", "libe_sqlite3.so", "-delete");
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            foreach (var line in new[] { "verify pier --quick", "repair pier --from release --yes", "undo --yes" })
                (await scene.ShellAsync($"./programs/mukta {line} --profiles profiles")).Code.ShouldBe(line.StartsWith('v') ? 1 : 0, line);
            (await scene.ShellAsync("./programs/mukta installs add pier games/pier --profiles profiles --yes")).Err.ShouldContain("SQLite");
        }),
        new("the programs are where the owner of the state may not read", async scene =>
        {
            AttackScene.Run("cp", "-rL", Programs.Folder, scene.Home.At("programs"));
            Directory.CreateDirectory(scene.Home.At(State));
            scene.GiveToUser();
            AttackScene.Run("chown", "-R", "root", scene.Home.At("programs"));
            AttackScene.Run("chmod", "700", scene.Home.At("programs"));
            scene.Home.Flip("games/pier/maps/harbour.pak", 100);
            var repaired = await scene.ShellAsync("./programs/mukta repair pier --from release --yes --profiles profiles");
            repaired.Code.ShouldBe(0, repaired.Out + repaired.Err);
            new FileInfo(scene.Home.At($"{State}/state.db")).Length.ShouldBeGreaterThan(0, "what was done is remembered");
        }),
        new("a line break in a path begins no line in the log", async scene =>
        {
            const string Folder = "games/pier\n2026-01-01 00:00:00.000 +00:00 Information all is well";
            scene.Home.CopyTree("release", Folder);
            scene.Home.Flip($"{Folder}/maps/harbour.pak", 7);
            (await scene.MuktaAsync("repair", Folder, "--manifest", "profiles/pier.meta4", "--from", "release", "--yes")).Code.ShouldBe(0);
            File.ReadAllLines(scene.Home.At($"{State}/log/mukta.log"))
                .ShouldNotContain(l => l.EndsWith("Information all is well", StringComparison.Ordinal));
        }),
    ];

    private static Attack WithLink(string name, string path, string target) => new(name, async scene =>
    {
        scene.Link(path, Path.Join(scene.Outside, target));
        scene.GiveToUser();
        await WorksAsync(scene);
    });

    private static Attack WithPipe(string name, string path) => new(name, async scene =>
    {
        scene.Pipe(path);
        scene.GiveToUser();
        await WorksAsync(scene);
    });

    /// <summary>Everything that writes there is run; that it does its work all the same is asked of the repair only.</summary>
    private static async Task WorksAsync(AttackScene scene)
    {
        scene.Home.Write("profiles/pier.yaml", AttackScene.Profile("""
            caches: [{name: pages, places: ["${cache}/pier/pages"]}]
            """));
        scene.Home.Write(".cache/pier/pages/one", "1");
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        var repaired = await scene.RepairAsync();
        repaired.Code.ShouldBe(0, repaired.Out + repaired.Err);
        scene.Home.Snapshot("games/pier").ShouldBe(scene.Home.Snapshot("release"));
        await scene.MuktaAsync("installs", "add", "pier", "games/pier", "--profiles", "profiles", "--yes");
        await scene.OnAsync("verify", "--quick");
        await scene.OnAsync("caches clear", "--yes");
        await scene.MuktaAsync("undo", "--profiles", "profiles", "--yes");
        await scene.MuktaAsync("operations", "--profiles", "profiles");
    }
}
