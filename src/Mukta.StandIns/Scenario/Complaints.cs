using System.Text;

namespace Mukta.StandIns;

/// <summary>What makes each code of the demo's profiles true, one at a time.</summary>
internal static class Complaints
{
    private const string Game = "games/gannet-post", Launcher = "launcher/pierhead";

    /// <summary>What each code does to a scenario's folder.</summary>
    public static IReadOnlyDictionary<string, Action<string>> All { get; } = new Dictionary<string, Action<string>>
    {
        ["PH-0007"] = root => Write(root, ".config/gannet-post/mail.conf", "launcher = \0\0\0\n"),
        ["PH-0126"] = Surroundings.BreakLibrary,
        ["PH-0140"] = root =>
        {
            Directory.Delete(Path.Join(root, "anti-cheat/tidewarden"), recursive: true);
            ServiceControlCommand.Put(root, "tidewarden.service", null);
        },
        ["PH-0142"] = Surroundings.BreakService,
        ["PH-0150"] = root => Directory.Delete(Path.Join(root, Game), recursive: true),
        ["PH-0161"] = root => FileInPlaceOf(root, ".cache/gannet-post/routes-3"),
        ["PH-0203"] = root => Overwrite(root, $"{Game}/maps/pier.pak"),
        ["PH-0310"] = root =>
        {
            // A program of the game that does not end.
            var program = Path.Join(root, Game, "bin/feather-count");
            File.Copy("/bin/sleep", program, overwrite: true);
            System.Diagnostics.Process.Start(new System.Diagnostics.ProcessStartInfo(program, "600")
            {
                RedirectStandardInput = true,
                RedirectStandardOutput = true,
                RedirectStandardError = true,
            })!.Dispose();
        },
        ["PL-0031"] = root => Write(root, ".cache/pierhead/session/token", "expired\n"),
        ["PL-0044"] = root => Write(root, ".config/environment.d/proxy.conf", "http_proxy=http://127.0.0.1:9\n"),
        ["PL-0503"] = root => Write(
            root, "outage.json",
            "{ \"status\": \"fail\", \"description\": \"Saltlight Commons services\", \"output\": \"sign-in is down\" }\n"),
        ["KK-0020"] = root =>
        {
            using var cut = File.OpenWrite(Path.Join(root, "games/kelp-and-kiln/glazes/foam.tex"));
            cut.SetLength(40_000);
        },
        ["download-stuck"] = root => Write(root, ".cache/gannet-post/partial-17", new string('.', 300_000)),
        ["launcher-does-not-start"] = root => FileInPlaceOf(root, ".cache/pierhead/pages-7"),
        ["older-version"] = Surroundings.BreakShortcut,
        ["does-not-start"] = root => Overwrite(root, $"{Game}/bin/gannet-post"),
    };

    private static void FileInPlaceOf(string root, string folder)
    {
        Directory.Delete(Path.Join(root, folder), recursive: true);
        Write(root, folder, "");
    }

    private static void Overwrite(string root, string path)
    {
        using var file = File.OpenWrite(Path.Join(root, path));
        file.Position = 700_000;
        file.Write(Enumerable.Repeat((byte)0xA5, 4096).ToArray());
    }

    private static void Write(string root, string path, string text) =>
        ScenarioCommand.Put(Path.Join(root, path), Encoding.UTF8.GetBytes(text), isProgram: false);
}
