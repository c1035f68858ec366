using Mukta.Disk;
using Mukta.Host.Processes;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.stop/1</c></summary>
internal sealed record StopDocument(string Format, string Install, bool IsDryRun, int ExitCode, IReadOnlyList<ProcessPart> Processes)
{
    /// <summary>Processes of other users that could not be looked into.</summary>
    public int Hidden { get; init; }
}

/// <summary><c>mukta.stop.conflicts/1</c>: <c>later</c> has the names of the other conflicts that run.</summary>
internal sealed record ConflictDocument(string Format, string Product, bool IsDryRun, int ExitCode, IReadOnlyList<string> Later)
{
    /// <summary>The name of the one that is stopped; missing if none runs.</summary>
    public string? Conflict { get; init; }

    /// <summary>Why it counts.</summary>
    public string? Why { get; init; }

    /// <summary>Its units that were up.</summary>
    public IReadOnlyList<string> Units { get; init; } = [];

    /// <summary>Its processes; afterwards, those that are left.</summary>
    public IReadOnlyList<ProcessPart> Processes { get; init; } = [];

    /// <summary>The operation; missing if nothing was done.</summary>
    public string? Operation { get; init; }

    /// <summary>Why a service did not stop.</summary>
    public string? Failure { get; init; }
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
