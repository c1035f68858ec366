using System.Diagnostics;
using System.Globalization;
using System.Text.RegularExpressions;
using Mukta.Host.Processes;

namespace Mukta.Host.Trial;

/// <summary>Reads what the kernel says of processes: faults, illegal instructions, memory that has run out (dmesg(1)).</summary>
internal static partial class KernelMessages
{
    private const string Program = "/usr/bin/dmesg";
    private const int LongestAnswer = 1 << 20, MostLines = 10;
    private static readonly TimeSpan Patience = TimeSpan.FromSeconds(2);

    /// <summary>The time of the last line, as the kernel counts it, seconds; null if its lines may not be read.</summary>
    public static async Task<double?> LastAsync(CancellationToken cancel) =>
        await TextAsync(cancel).ConfigureAwait(false) is not { } text ? null
        : text.TrimEnd().Split('\n').Select(l => Line().Match(l)).LastOrDefault(m => m.Success) is { } last ? Seconds(last) : 0;

    /// <summary>The lines about processes since a time; null if they may not be read.</summary>
    /// <param name="pids">The processes.</param>
    /// <param name="since">From <see cref="LastAsync"/>.</param>
    /// <param name="cancel">Ends it.</param>
    public static async Task<IReadOnlyList<string>?> OfAsync(IReadOnlySet<int> pids, double? since, CancellationToken cancel) =>
        since is { } last && await TextAsync(cancel).ConfigureAwait(false) is { } text ? Of(text, pids, last) : null;

    private static async Task<string?> TextAsync(CancellationToken cancel)
    {
        if (!File.Exists(Program))
            return null;
        var (output, error) = (new TextTail(LongestAnswer), new TextTail(LongestAnswer));
        var start = new ProcessStartInfo(Program, ["--kernel", "--color=never"]);
        start.Environment["LC_ALL"] = "C";
        return await LimitedProcess.RunAsync(start, Patience, output, error, cancel).ConfigureAwait(false) == 0 ? output.Text : null;
    }

    /// <summary>Reads lines such as <c>[  12.345678] gull[99]: segfault at 0 ip ...</c></summary>
    internal static IReadOnlyList<string> Of(string text, IReadOnlySet<int> pids, double since) =>
    [
        .. text.Split('\n').Select(l => Line().Match(l)).Where(m => m.Success && Seconds(m) > since
            && Number().Matches(m.Groups[2].Value).Any(n => IsOneOf(n.Groups[1].Value, pids)))
        .Select(m => m.Groups[2].Value.TrimEnd()).TakeLast(MostLines),
    ];

    private static double Seconds(Match line) => double.Parse(line.Groups[1].Value, CultureInfo.InvariantCulture);

    private static bool IsOneOf(string text, IReadOnlySet<int> pids) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var pid) && pids.Contains(pid);

    [GeneratedRegex(@"^\[\s*([0-9]+\.[0-9]+)\] (.*)$")]
    private static partial Regex Line();

    /// <summary>A process as the kernel names it: <c>gull[99]</c>, <c>Killed process 99</c>, <c>pid=99</c>.</summary>
    [GeneratedRegex(@"(?:\[|process |pid=)([0-9]+)")]
    private static partial Regex Number();
}
