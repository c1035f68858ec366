using System.Diagnostics;
using System.Text.Json;
using Mukta.Tests;

namespace Mukta.Cli.Tests;

/// <summary>The stand-in mirror, serving a folder of a scratch, with planned faults and a log.</summary>
internal sealed class Mirror : IDisposable
{
    private readonly Scratch scratch;
    private readonly Process process;
    private readonly string log;

    private Mirror(Scratch scratch, Process process, string log, string url) =>
        (this.scratch, this.process, this.log, Url) = (scratch, process, log, url);

    public string Url { get; }

    /// <summary>Starts the stand-in for a vendor's outage page.</summary>
    public static async Task<Mirror> StartOutageAsync(Scratch scratch, string file, string mood)
    {
        var process = Programs.Start(scratch, Programs.StandIns, "outage", file, "--mood", mood);
        var url = await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken);
        return new Mirror(
            scratch, process, "",
            url ?? throw new InvalidOperationException(await process.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken)));
    }

    /// <summary>Starts a proxy that spoils what a mirror answers.</summary>
    public static async Task<Mirror> StartProxyAsync(Scratch scratch, string url, string fault, params string[] more)
    {
        var process = Programs.Start(scratch, Programs.StandIns, ["proxy", url, "--fault", fault, .. more]);
        var own = await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken);
        return new Mirror(
            scratch, process, "",
            own ?? throw new InvalidOperationException(await process.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken)));
    }

    public static async Task<Mirror> StartAsync(Scratch scratch, string folder, string faults = "[]")
    {
        var name = Guid.NewGuid().ToString("N");
        scratch.Write($"{name}.json", faults);
        var process = Programs.Start(scratch, Programs.StandIns, "mirror", folder, "--faults", $"{name}.json", "--log", $"{name}.log");
        var url = await process.StandardOutput.ReadLineAsync(TestContext.Current.CancellationToken);
        return new Mirror(
            scratch, process, $"{name}.log",
            url ?? throw new InvalidOperationException(await process.StandardError.ReadToEndAsync(TestContext.Current.CancellationToken)));
    }

    /// <summary>Ends the mirror and answers its log: a request is logged once its body is out.</summary>
    public IReadOnlyList<JsonElement> End()
    {
        using var terminate = Process.Start("kill", ["-TERM", $"{process.Id}"]);
        process.WaitForExit();
        return [.. File.ReadAllLines(scratch.At(log)).Select(l => JsonDocument.Parse(l).RootElement)];
    }

    /// <summary>Bytes of bodies in a log.</summary>
    public static long BodyBytes(IEnumerable<JsonElement> requests) => requests.Sum(r => r.GetProperty("bodyBytes").GetInt64());

    public void Dispose()
    {
        process.Kill();
        process.WaitForExit();
        process.Dispose();
    }
}
