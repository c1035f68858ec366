using System.Globalization;
using System.Net;
using System.Text;

namespace Mukta.Attacks.Tests;

/// <summary>What Mukta reads is endless, huge, no file, or not what it says.</summary>
internal static class ReaderAttacks
{
    private const string Shortcut = ".local/share/applications/pier.desktop";

    public static IEnumerable<Attack> Rows { get; } =
    [
        OfShortcut("a device", scene => scene.Link(Shortcut, "/dev/zero")),
        OfShortcut("a pipe", scene => scene.Pipe(Shortcut)),
        OfShortcut("huge", scene => scene.Sparse(Shortcut, 1L << 30)),
        OfShortcut("a folder", scene => Directory.CreateDirectory(scene.Home.At(Shortcut))),
        OfShortcut("noise", scene => scene.Home.Fill(Shortcut, 100_000, 5)),
        OfShortcut("a file of half a line", scene => scene.Home.Write(Shortcut, "[Desktop Entry]\nExec=\"")),
        OfShortcut("full of brackets", scene => scene.Home.Write(Shortcut, "[Desktop Entry]\n[\n=\n==\nExec==\n\\\nExec=\\")),
        OfManifest("a pipe", scene => scene.Pipe("m.meta4")),
        OfManifest("a device", scene => scene.Link("m.meta4", "/dev/zero")),
        OfManifest("huge", scene => scene.Sparse("m.meta4", 4L << 30)),
        OfManifest("noise", scene => scene.Home.Fill("m.meta4", 100_000, 5)),
        OfManifest(
        "of two files that are larger than anything", scene => Files(scene, (9223372036854775807, "a"), (9223372036854775807, "b"))),
        OfManifest("of a file of a negative length", scene => Files(scene, (-1, "a"))),
        OfManifest("of one name twice", scene => Files(scene, (1, "a"), (1, "a"))),
        OfManifest("of a file that is a folder too", scene => Files(scene, (1, "a"), (1, "a/b"))),
        OfManifest("deep", scene => Files(scene, (1, string.Join('/', Enumerable.Repeat("d", 2000))))),
        OfManifest("a bomb of entities", scene => scene.Home.Write(
            "m.meta4",
            "<!DOCTYPE x [<!ENTITY a \"aaaaaaaaaa\"><!ENTITY b \"&a;&a;&a;&a;&a;&a;\">]><metalink "
            + "xmlns=\"urn:ietf:params:xml:ns:metalink\">&b;</metalink>")),
        .. Enumerable.Range(0, 12).Select(seed => OfManifest(
            string.Create(CultureInfo.InvariantCulture, $"with odd bytes, seed {seed}"),
            scene => Mutate(scene, "profiles/pier.meta4", "m.meta4", seed))),
        .. Enumerable.Range(0, 12).Select(seed => OfProgram(
            string.Create(CultureInfo.InvariantCulture, $"with odd bytes, seed {seed}"), path => Mutate(path, 64, seed), 0)),
        OfProgram("huge, with tables everywhere", path => Overwrite(path, 0x20, 0x28, 16 << 20), 16 << 20),
        OfProgram("one that needs itself by $ORIGIN", _ => { }, 0),
        .. Enumerable.Range(0, 6).Select(
        i => new Attack(string.Create(CultureInfo.InvariantCulture, $"an outage page that is odd, {i}"), async scene =>
        {
            byte[][] pages =
            [
                [], "null"u8.ToArray(), "[[[[[[[["u8.ToArray(), "{\"status\":7,\"checks\":[]}"u8.ToArray(), [0xff, 0xfe, 0, 1, 2],
                Encoding.UTF8.GetBytes(
                "{\"status\":\"fail\",\"checks\":{\"a\":[null,{\"status\":null,\"output\":{}}],\"b\":null,\"\":[7]}}"),
            ];
            using var page = new Server(pages[i]);
            scene.Home.Write("profiles/pier.yaml", AttackScene.Profile($"outage: {{url: \"{page.Url}\"}}"));
            await scene.OnAsync("check");
        })),
        Out("is full", "\"$MUKTA\" verify pier --profiles profiles > /dev/full"),
        Out("is full, for JSON", "\"$MUKTA\" verify pier --profiles profiles --json > /dev/full"),
        Out("is closed", "\"$MUKTA\" verify pier --profiles profiles >&-"),
        Out("and all others are closed", "\"$MUKTA\" repair pier --profiles profiles --from release --yes >&- 2>&- <&-"),
        Out("is a pipe that nobody reads",
        "{ \"$MUKTA\" verify pier --profiles profiles --json --verbose; echo $? > code; } | true; exit $(cat code)"),
        Out("is full while it repairs", "\"$MUKTA\" repair pier --profiles profiles --from release --yes > /dev/full 2>&1"),
    ];

    private static Attack OfShortcut(string name, Action<AttackScene> set) => new($"a shortcut is {name}", async scene =>
    {
        set(scene);
        scene.Home.Write(
            "profiles/pier.yaml", AttackScene.Profile("""shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/game}]"""));
        await scene.OnAsync("shortcuts");
        await scene.OnAsync("check");
        await scene.OnAsync("shortcuts restore", "--yes");
    });

    private static Attack OfManifest(string name, Action<AttackScene> set) => new($"a manifest is {name}", async scene =>
    {
        set(scene);
        var before = scene.Home.Snapshot("games/pier");
        (await scene.MuktaAsync("verify", "games/pier", "--manifest", "m.meta4")).Code.ShouldBeOneOf(0, 1, 2);
        await scene.MuktaAsync("manifest", "show", "m.meta4");
        (await scene.MuktaAsync("repair", "games/pier", "--manifest", "m.meta4", "--from", "release", "--dry-run"))
            .Code.ShouldBeOneOf(0, 2, 3, 4);
        scene.Home.Snapshot("games/pier").ShouldBe(before);
    });

    private static Attack OfProgram(string name, Action<string> change, long length) => new($"a program is {name}", async scene =>
    {
        var program = scene.Home.At("games/pier/bin/game");
        File.Copy("/bin/true", program, overwrite: true);
        change(program);
        if (length > 0)
            scene.Home.Truncate("games/pier/bin/game", length);
        scene.Home.Write("profiles/pier.yaml", AttackScene.Profile("runtime: {programs: [bin/game]}"));
        await scene.OnAsync("check");
    });

    private static Attack Out(string name, string line) => new($"the standard output {name}", async scene =>
    {
        scene.Home.Flip("games/pier/maps/harbour.pak", 100);
        await scene.ShellAsync(line);
    });

    private static void Files(AttackScene scene, params (long Size, string Name)[] files) => scene.Home.Write(
        "m.meta4", "<metalink xmlns=\"urn:ietf:params:xml:ns:metalink\">" + string.Concat(files.Select(f => string.Create(
            CultureInfo.InvariantCulture,
            $"<file name=\"{f.Name}\"><size>{f.Size}</size><hash type=\"sha-256\">{new string('a', 64)}</hash></file>"))) + "</metalink>");

    private static void Mutate(AttackScene scene, string from, string to, int seed)
    {
        File.Copy(scene.Home.At(from), scene.Home.At(to));
        Mutate(scene.Home.At(to), (int)new FileInfo(scene.Home.At(to)).Length, seed);
    }

    /// <summary>Changes a few bytes at the beginning of a file.</summary>
    private static void Mutate(string path, int within, int seed)
    {
        var random = new Random(seed);
        using var file = File.OpenWrite(path);
        for (var i = 0; i < 6; i++)
        {
            file.Position = random.Next(within);
            file.WriteByte((byte)random.Next(256));
        }
    }

    private static void Overwrite(string path, int at, int to, int value)
    {
        using var file = File.OpenWrite(path);
        file.Position = at;
        for (var i = at; i < to; i++)
            file.WriteByte((byte)(value >> (8 * (i % 4))));
    }

    /// <summary>A web page.</summary>
    private sealed class Server : IDisposable
    {
        private readonly HttpListener listener = new();

        public Server(byte[] page)
        {
            var port = FreePort();
            Url = $"http://127.0.0.1:{port}/";
            listener.Prefixes.Add(Url);
            listener.Start();
            _ = ServeAsync(page);
        }

        public string Url { get; }

        public void Dispose() => listener.Close();

        private static int FreePort()
        {
            using var socket = new System.Net.Sockets.TcpListener(IPAddress.Loopback, 0);
            socket.Start();
            return ((IPEndPoint)socket.LocalEndpoint).Port;
        }

        private async Task ServeAsync(byte[] page)
        {
            try
            {
                while (true)
                {
                    var context = await listener.GetContextAsync();
                    await context.Response.OutputStream.WriteAsync(page);
                    context.Response.Close();
                }
            }
            catch (Exception e) when (e is HttpListenerException or ObjectDisposedException)
            {
                // The end.
            }
        }
    }
}
