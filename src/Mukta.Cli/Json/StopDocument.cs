using Mukta.Disk;
using Mukta.Host.Processes;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.stop/1</c></summary>
internal sealed record StopDocument(string Format, string Install, bool IsDryRun, int ExitCode, IReadOnlyList<ProcessPart> Processes)
{
    /// <summary>Processes of other users that could not be looked into.</summary>
    public int Hidden { get; init; }
}

/// <summary>A process that uses an install.</summary>
internal sealed record ProcessPart(int Pid, string Name, uint Owner, DateTimeOffset Since, IReadOnlyList<string> Reasons)
{
    public bool? IsGone { get; init; }

    public string? LeftBecause { get; init; }

    public static ProcessPart Of(RunningProcess process) =>
        new(process.Pid, PathBytes.Shown(process.Name), process.Owner, process.Since, [.. process.Reasons.Select(PathBytes.Shown)]);

    public static ProcessPart Of(EndedProcess ended) => Of(ended.Process) with { IsGone = ended.IsGone, LeftBecause = ended.Reason };
}
