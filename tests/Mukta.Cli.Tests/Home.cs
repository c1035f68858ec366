using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>
/// The demo's scenario in a home of its own, with its stand-ins: published manifests, profiles, a mirror, an outage page, service control.
/// </summary>
internal sealed class Home : IDisposable
{
    private readonly List<Mirror> servers = [];

    public Scratch Scratch { get; } = new();

    /// <summary>The mirror, whose folder is <c>mirror</c>.</summary>
    public string MirrorUrl { get; private set; } = "";

    /// <summary>Makes a home. What answers as it should is shared by all of them; what does not is its own.</summary>
    public static async Task<Home> MakeAsync(string mirrorFaults = "[]", string outageMood = "good")
    {
        var home = new Home();
        home.MirrorUrl = mirrorFaults == "[]" ? $"{await HomeTemplate.MirrorAsync()}/{home.Name}/mirror"
            : await home.ServedAsync(Mirror.StartAsync(home.Scratch, "mirror", mirrorFaults));
        var outage = outageMood == "good" ? $"{OutagePages.Url}/{home.Name}"
            : await home.ServedAsync(Mirror.StartOutageAsync(home.Scratch, "outage.json", outageMood));
        await HomeTemplate.CopyAsync(home.Scratch, home.MirrorUrl, outage);
        return home;
    }

    private string Name => Path.GetFileName(Scratch.Root);

    private async Task<string> ServedAsync(Task<Mirror> starting)
    {
        var server = await starting;
        servers.Add(server);
        return server.Url;
    }

    public async Task BreakAroundAsync() =>
        (await Programs.RunAsync(Scratch, Programs.StandIns, "break", Scratch.Root, "--around")).Code.ShouldBe(0);

    public Task<Answer> MuktaAsync(params string[] arguments) => MuktaWithAsync([], arguments);

    /// <summary>Runs mukta with more environment variables.</summary>
    public Task<Answer> MuktaWithAsync(string[] environment, params string[] arguments) =>
        Programs.RunAsync(Scratch, "env", Words(environment, arguments));

    /// <summary>Runs mukta and counts how often it opens each file whose name ends so.</summary>
    public async Task<(Answer Answer, IReadOnlyDictionary<string, int> Opened)> CountingOpensAsync(
        string[] endings, params string[] arguments)
    {
        var trace = Scratch.At("trace");
        var answer = await Programs.RunAsync(
            Scratch, "strace",
            ["-f", "-qq", "-s", "4096", "-e", "trace=open,openat,openat2", "-e", "signal=none", "-o", trace, "env", .. Words([], arguments)]);
        var names = (await File.ReadAllLinesAsync(trace)).Where(l => !l.Contains(" = -1 ", StringComparison.Ordinal))
            .Select(l => l.Split('"')).Where(p => p.Length > 2).Select(p => Path.GetFileName(p[1]))
            .Where(n => endings.Any(e => n.EndsWith(e, StringComparison.Ordinal)));
        return (answer, names.GroupBy(n => n).ToDictionary(g => g.Key, g => g.Count()));
    }

    /// <summary>Starts mukta.</summary>
    public System.Diagnostics.Process Start(params string[] arguments) => Programs.Start(Scratch, "env", Words([], arguments));

    /// <summary>What env(1) is told to run mukta in this home.</summary>
    public string[] Words(string[] environment, string[] arguments) =>
        ["-u", "XDG_CONFIG_HOME", "-u", "XDG_STATE_HOME", "-u", "XDG_DATA_HOME", "-u", "XDG_CACHE_HOME", $"HOME={Scratch.Root}",
        $"MUKTA_SYSTEMCTL={Scratch.At("host/systemctl")}", .. environment, Programs.Mukta, .. arguments];

    /// <summary>Runs a command on a product of the profiles.</summary>
    public Task<Answer> OnAsync(string command, string product, params string[] more) =>
        MuktaAsync([.. command.Split(' '), product, "--profiles", "profiles", .. more]);

    public void Dispose()
    {
        servers.ForEach(s => s.Dispose());
        Scratch.Dispose();
    }
}
