using Mukta.Disk;
using Mukta.Host.Trial;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.try/1</c></summary>
internal sealed record TryDocument(string Format, string Product, bool IsDryRun, int ExitCode, TryStartPart Start)
{
    /// <summary>running, handed-over, ended, killed, not-started; missing for a dry run.</summary>
    public string? Result { get; init; }

    /// <summary>How long it was watched.</summary>
    public double Seconds { get; init; }

    /// <summary>The product's exit code.</summary>
    public int? Status { get; init; }

    /// <summary>The signal that ended it.</summary>
    public int? Signal { get; init; }

    /// <summary>True if its memory was written down.</summary>
    public bool HasCore { get; init; }

    /// <summary>Why it could not be started.</summary>
    public string? Reason { get; init; }

    /// <summary>The last lines that it printed.</summary>
    public IReadOnlyList<string> LastLines { get; init; } = [];

    /// <summary>What the loader says.</summary>
    public IReadOnlyList<string> Loader { get; init; } = [];

    /// <summary>What the kernel says; missing if it may not be read.</summary>
    public IReadOnlyList<string>? Kernel { get; init; }

    /// <summary>Processes that it has started and that still ran.</summary>
    public IReadOnlyList<TryProcessPart> Left { get; init; } = [];

    /// <summary>True if it was ended afterwards.</summary>
    public bool WasEnded { get; init; }

    public static TryDocument Of(string product, TrialStart start, TrialReport? report, bool isDryRun, ExitCode code)
    {
        var document = new TryDocument("mukta.try/1", product, isDryRun, (int)code, new TryStartPart(
            PathBytes.Shown(start.Shortcut), PathBytes.Shown(start.Program), [.. start.Arguments.Select(PathBytes.Shown)],
            PathBytes.Shown(start.Folder), start.User));
        return report is null ? document : document with
        {
            Result = JsonNames.OfName(report.Result.ToString()),
            Seconds = Math.Round(report.Took.TotalSeconds, 1),
            Status = report.Code,
            Signal = report.Signal,
            HasCore = report.HasCore,
            Reason = report.Reason,
            LastLines = [.. report.LastLines.Select(PathBytes.Shown)],
            Loader = [.. report.LoaderLines.Select(PathBytes.Shown)],
            Kernel = report.KernelLines is null ? null : [.. report.KernelLines.Select(PathBytes.Shown)],
            Left = [.. report.Left.Select(p => new TryProcessPart(p.Pid, PathBytes.Shown(p.Name)))],
            WasEnded = report.Ended.Count > 0 && report.Ended.All(e => e.IsGone),
        };
    }
}

/// <summary>How a product is started.</summary>
internal sealed record TryStartPart(string Shortcut, string Program, IReadOnlyList<string> Arguments, string Folder, uint User);

/// <summary>A process that a product has started.</summary>
internal sealed record TryProcessPart(int Pid, string Name);
