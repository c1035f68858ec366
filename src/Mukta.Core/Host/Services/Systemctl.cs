using System.Diagnostics;
using System.Globalization;
using System.Text.Json;
using System.Text.RegularExpressions;
using Mukta.Host.Processes;

namespace Mukta.Host.Services;

/// <summary>
/// systemd, through the output of systemctl(1) and journalctl(1) that is meant for machines. What a name in a profile
/// contains is never seen by a shell.
/// </summary>
/// <param name="systemctl">The program.</param>
/// <param name="journalctl">The program.</param>
/// <param name="time">For the times that systemd counts from the machine's start.</param>
public sealed partial class Systemctl(string systemctl, string journalctl, TimeProvider time) : IServiceControl
{
    /// <summary>
    /// The environment variable that names another program that answers as systemctl does; journalctl is looked for beside it.
    /// </summary>
    public const string Variable = "MUKTA_SYSTEMCTL";

    private const string Asked =
        "Id,LoadState,UnitFileState,ActiveState,SubState,Result,ExecMainStatus,StateChangeTimestampMonotonic,MainPID,NRestarts";
    private const int LongestText = 1 << 20;
    private static readonly TimeSpan LongestAnswer = TimeSpan.FromSeconds(3);
    private static readonly TimeSpan LongestList = TimeSpan.FromSeconds(15);
    private static readonly TimeSpan LongestDeed = TimeSpan.FromSeconds(100); // systemd itself gives up on a start after 90 s.

    /// <inheritdoc/>
    public bool CanChange => true;

    /// <summary>True for the machine's own. Whether another one that the user names needs rights is theirs to know.</summary>
    public bool NeedsRoot { get; private init; } = true;

    /// <summary>The service control of this machine: the program that <see cref="Variable"/> names, or the first on the path.</summary>
    public static Systemctl Of(Func<string, string?> environment, TimeProvider time)
    {
        if (environment(Variable) is not { Length: > 0 } named)
            return new Systemctl(OnPath(environment, "systemctl"), OnPath(environment, "journalctl"), time);
        var beside = Path.Join(Path.GetDirectoryName(named), "journalctl");
        return new Systemctl(
            Path.GetFullPath(named), File.Exists(beside) ? Path.GetFullPath(beside) : OnPath(environment, "journalctl"), time)
        {
            NeedsRoot = false,
        };
    }

    /// <summary>A program on the path, never one that lies in the working folder: that folder may be anybody's.</summary>
    private static string OnPath(Func<string, string?> environment, string program) =>
        (environment("PATH") ?? "").Split(':').Where(Path.IsPathRooted)
        .Select(folder => Path.Join(folder, program)).FirstOrDefault(File.Exists) ?? Path.Join("/usr/bin", program);

    /// <inheritdoc/>
    public async Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel)
    {
        if (units.Count == 0)
            return [];
        var (code, output, error) = await RunAsync(
            systemctl, ["show", "--no-pager", $"--property={Asked}", "--", .. units], LongestAnswer, cancel).ConfigureAwait(false);
        var blocks = output.Split("\n\n", StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        if (code != 0 || blocks.Length != units.Count)
        {
            throw new ServiceControlFailed(
                "The service manager does not answer.",
                $"{systemctl} show: {(error.Length > 0 ? error : $"exit code {code}, {blocks.Length} of {units.Count} units")}",
                "Is this machine run by systemd, and is it up? Type: systemctl is-system-running");
        }

        return [.. blocks.Select((block, i) => Read(units[i], block))];
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<UnitProgram>> StartingFromAsync(string folder, CancellationToken cancel)
    {
        var (_, list, _) = await RunAsync(
            systemctl, ["list-unit-files", "--type=service", "--no-legend", "--no-pager"], LongestList, cancel).ConfigureAwait(false);
        string[] units = [.. list.Split('\n').Select(l => l.Split(' ')[0])
            .Where(u => u.EndsWith(".service", StringComparison.Ordinal) && !u.Contains("@.", StringComparison.Ordinal))];
        if (units.Length == 0)
            return [];
        var (_, output, _) = await RunAsync(
            systemctl, ["show", "--no-pager", "--property=Id,ExecStart", "--", .. units], LongestList, cancel).ConfigureAwait(false);
        var found = new List<UnitProgram>();
        foreach (var block in output.Split("\n\n", StringSplitOptions.RemoveEmptyEntries))
        {
            var lines = block.Split('\n');
            var unit = lines.FirstOrDefault(l => l.StartsWith("Id=", StringComparison.Ordinal))?[3..];
            var program = lines.Select(l => ExecStart().Match(l)).FirstOrDefault(m => m.Success)?.Groups[1].Value;
            if (unit is not null && program?.StartsWith(folder + "/", StringComparison.Ordinal) == true)
                found.Add(new UnitProgram(unit, program));
        }

        return found;
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel)
    {
        try
        {
            string[] asked =
                ["--no-pager", "--quiet", "--output=json", $"--lines={count.ToString(CultureInfo.InvariantCulture)}", $"--unit={unit}"];
            var (_, output, _) = await RunAsync(journalctl, asked, LongestAnswer, cancel).ConfigureAwait(false);
            return [.. output.Split('\n', StringSplitOptions.RemoveEmptyEntries).Select(Message).OfType<string>()];
        }
        catch (ServiceControlFailed)
        {
            return []; // The states are what counts; their log is an extra.
        }
    }

    /// <inheritdoc/>
    public async Task DoAsync(ServiceAct act, string unit, CancellationToken cancel)
    {
        var verb = act == ServiceAct.ResetFailed ? "reset-failed" : act.ToString().ToLowerInvariant();
        var (code, _, error) = await RunAsync(
            systemctl, [verb, "--no-ask-password", "--", unit], LongestDeed, cancel).ConfigureAwait(false);
        if (code != 0)
        {
            throw new ServiceControlFailed(
                $"The service manager did not {verb} {unit}.",
                $"{systemctl} {verb} {unit}: {(error.Length > 0 ? error : $"exit code {code}")}",
                $"Check why with: systemctl status {unit}");
        }
    }

    private ServiceState Read(string unit, string block)
    {
        var values = block.Split('\n').Select(l => l.Split('=', 2)).Where(l => l.Length == 2)
            .ToDictionary(l => l[0], l => l[1], StringComparer.Ordinal);
        string Text(string key) => values.GetValueOrDefault(key, "");
        int Number(string key) => int.TryParse(Text(key), NumberStyles.Integer, CultureInfo.InvariantCulture, out var number) ? number : 0;
        return new ServiceState(unit, Text("LoadState"), Text("UnitFileState"), Text("ActiveState"))
        {
            Sub = Text("SubState"),
            Result = Text("Result"),
            ExitStatus = Number("ExecMainStatus"),
            Since = Since(Text("StateChangeTimestampMonotonic")),
            MainPid = Number("MainPID"),
            Restarts = Number("NRestarts"),
        };
    }

    /// <summary>A time from the count of microseconds since the machine's start that systemd gives (CLOCK_MONOTONIC).</summary>
    private DateTimeOffset? Since(string microseconds) =>
        long.TryParse(microseconds, NumberStyles.None, CultureInfo.InvariantCulture, out var value) && value > 0
            ? time.GetUtcNow() - TimeSpan.FromMilliseconds(Math.Max(0, Environment.TickCount64 - (value / 1000)))
            : null;

    /// <summary>
    /// The text of a line of the journal (JSON, see systemd.journal-fields(7)); bytes that are not text come as numbers and are left out.
    /// </summary>
    private static string? Message(string line)
    {
        try
        {
            using var entry = JsonDocument.Parse(line);
            return entry.RootElement.TryGetProperty("MESSAGE", out var message) && message.ValueKind == JsonValueKind.String
                ? message.GetString() : null;
        }
        catch (JsonException)
        {
            return null;
        }
    }

    [GeneratedRegex(@"^ExecStart=\{ path=(.*?) ; argv\[\]=", RegexOptions.CultureInvariant)]
    private static partial Regex ExecStart();

    private static async Task<(int Code, string Output, string Error)> RunAsync(
        string program, IReadOnlyList<string> arguments, TimeSpan limit, CancellationToken cancel)
    {
        var start = new ProcessStartInfo(program, arguments);
        start.Environment["LC_ALL"] = "C";
        start.Environment["SYSTEMD_COLORS"] = "0";
        var (output, error) = (new TextTail(LongestText), new TextTail(LongestText));
        try
        {
            var code = await LimitedProcess.RunAsync(start, limit, output, error, cancel).ConfigureAwait(false)
                ?? throw new ServiceControlFailed(
                string.Create(CultureInfo.InvariantCulture, $"The service manager has not answered within {limit.TotalSeconds:0} s."),
                $"{program} {string.Join(' ', arguments)}", "Check it with: systemctl is-system-running");
            return (code, output.Text, error.Text.Trim());
        }
        catch (System.ComponentModel.Win32Exception e)
        {
            throw new ServiceControlFailed(
                "The service manager's program cannot be started.", program,
                $"Is this machine run by systemd? Name the program with {Variable}.", e);
        }
    }
}
