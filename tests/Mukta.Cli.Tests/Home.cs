using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>
/// The demo's scenario in a home of its own, with its stand-ins: published manifests, profiles, a mirror, an outage page, service control.
/// </summary>
internal sealed class Home : IDisposable
{
    private const string AnyMirror = "http://any.mirror";

    private static readonly SemaphoreSlim Publishing = new(1, 1);
    private static IReadOnlyList<(string Product, string Manifest)>? others;

    private readonly List<Mirror> servers = [];

    public Scratch Scratch { get; } = new();

    public string MirrorUrl => servers[1].Url;

    public static async Task<Home> MakeAsync(string mirrorFaults = "[]", string outageMood = "good")
    {
        var home = new Home();
        home.Scratch.Write("outage.json", "");
        var outage = await Mirror.StartOutageAsync(home.Scratch, "outage.json", outageMood);
        (await Programs.RunAsync(home.Scratch, Programs.StandIns, "scenario", home.Scratch.Root, "--outage", outage.Url)).Code.ShouldBe(0);
        var mirror = await Mirror.StartAsync(home.Scratch, "mirror", mirrorFaults);
        home.servers.AddRange([outage, mirror]);
        await home.PublishAsync("tidewarden", "2.0.5", mirror.Url); // Its setup program knows where the home is.
        foreach (var (product, manifest) in await home.OthersAsync())
            home.Scratch.Write($"{product}.meta4", manifest.Replace(AnyMirror, mirror.Url, StringComparison.Ordinal));
        return home;
    }

    /// <summary>The manifests that are the same in each home but for the mirror: made once.</summary>
    private async Task<IReadOnlyList<(string Product, string Manifest)>> OthersAsync()
    {
        await Publishing.WaitAsync();
        try
        {
            if (others is not null)
                return others;
            var made = new List<(string, string)>();
            foreach (var (product, release) in new[] { ("gannet-post", "1.4.2"), ("kelp-and-kiln", "0.9.0"), ("pierhead", "3.2.0") })
                made.Add((product, await PublishAsync(product, release, AnyMirror)));
            return others = made;
        }
        finally
        {
            Publishing.Release();
        }
    }

    private async Task<string> PublishAsync(string product, string release, string mirror)
    {
        var made = await MuktaAsync(
            "manifest", "make", $"mirror/{product}/{release}", "--product", product, "--release", release, "--base-url",
            $"{mirror}/{product}/{release}", "--out", $"{product}.meta4");
        made.Code.ShouldBe(0, made.Err);
        return await File.ReadAllTextAsync(Scratch.At($"{product}.meta4"));
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

    private string[] Words(string[] environment, string[] arguments) =>
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
