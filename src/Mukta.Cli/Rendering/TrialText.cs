using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Trial;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A product that was tried, as a technician reads it.</summary>
/// <param name="console">Where it goes.</param>
/// <param name="title">The product's name.</param>
internal sealed class TrialText(IAnsiConsole console, string title)
{
    private static readonly Dictionary<int, string> Signals = new()
    {
        [4] = "SIGILL: the processor does not know an instruction",
        [6] = "SIGABRT: it gave up by itself",
        [7] = "SIGBUS: it used memory that is not there",
        [8] = "SIGFPE: it divided by zero, or the like",
        [9] = "SIGKILL: it was killed, perhaps because memory ran out",
        [11] = "SIGSEGV: it used memory that is not its own",
        [15] = "SIGTERM: it was asked to end",
        [31] = "SIGSYS: it made a call that is forbidden",
    };

    /// <summary>A signal with its name and what it means.</summary>
    private static string SignalName(int signal) =>
        Signals.TryGetValue(signal, out var name) ? $"signal {signal} ({name})" : $"signal {signal}";

    /// <summary>How it is started.</summary>
    public void Write(TrialStart start)
    {
        console.WriteLine($"Starting {title} as {PathBytes.Shown(Path.GetFileName(start.Shortcut))} does.");
        Line("command", string.Join(' ', start.Arguments.Prepend(start.Program).Select(Shell.Quoted)));
        Line("as", $"{Host.Processes.RunningProcess.OwnerOf(start.User)}, in {start.Folder}");
    }

    /// <summary>What came of it; only the verdict if that is all that is wanted.</summary>
    public void Write(TrialReport report, bool isQuiet)
    {
        console.MarkupLine($"[bold]{Markup.Escape(title)}[/] {Markup.Escape(Verdict(report))}");
        if (isQuiet)
            return;
        foreach (var line in report.LoaderLines)
            Line("loader", line);
        foreach (var line in report.KernelLines ?? [])
            Line("kernel", line);
        if (report.Result == TrialResult.Killed)
            Line("core dump", report.HasCore ? "written, or given to the system's handler" : "none");
        foreach (var process in report.Left.Where(_ => report.Ended.Count == 0))
            Line("runs", $"process {process.Pid}, {process.Name}");
        foreach (var line in report.LastLines.Except(report.LoaderLines))
            Line("output", line);
        if (report.Ended.Count > 0)
        {
            var left = report.Ended.Count(e => !e.IsGone);
            console.WriteLine(
                left == 0 ? $"{Units.Count(report.Ended.Count, "process", "processes")} ended."
                : $"{Units.Of(left, report.Ended.Count, "process", "processes")} did not end.");
        }
    }

    private static string Verdict(TrialReport report) => report.Result switch
    {
        TrialResult.Running => $"runs: it was still there after {Seconds(report)}.",
        TrialResult.HandedOver => "runs: its program ended with exit code 0, and "
            + $"{Units.Count(report.Left.Count, "process", "processes")} that it started "
            + $"{(report.Left.Count == 1 ? "was" : "were")} still there after {Seconds(report)}.",
        TrialResult.Ended => $"ended after {Seconds(report)} with exit code {report.Code}"
            + $"{(report.Left.Count == 0 ? ", and nothing of it runs" : "")}.",
        TrialResult.Killed => $"was ended after {Seconds(report)} by {SignalName(report.Signal!.Value)}.",
        _ => $"could not be started: {report.Reason}.",
    };

    private static string Seconds(TrialReport report) =>
        report.Took < TimeSpan.FromSeconds(1) ? "less than 1 s" : report.Took.TotalSeconds.ToString("0 s", CultureInfo.InvariantCulture);

    private void Line(string what, string text) => console.MarkupLineInterpolated($"  [bold]{what,-9}[/]  {PathBytes.Shown(text)}");
}
