using Mukta.Host.Processes;

namespace Mukta.Host.Trial;

/// <summary>What came of starting a product.</summary>
public enum TrialResult
{
    /// <summary>Its program still ran at the end.</summary>
    Running,

    /// <summary>Its program ended with exit code 0, and processes that it has started still ran.</summary>
    HandedOver,

    /// <summary>Its program ended by itself, and nothing of it ran any more; or it ended with another exit code than 0.</summary>
    Ended,

    /// <summary>A signal ended its program.</summary>
    Killed,

    /// <summary>It could not be started.</summary>
    NotStarted,
}

/// <summary>How a product is started.</summary>
/// <param name="Shortcut">The shortcut that says so.</param>
/// <param name="Program">The program.</param>
/// <param name="Arguments">Its arguments.</param>
/// <param name="Environment">Its environment, as <c>NAME=VALUE</c>.</param>
/// <param name="Folder">The folder that it works in.</param>
/// <param name="User">The player's number.</param>
public sealed record TrialStart(
    string Shortcut, string Program, IReadOnlyList<string> Arguments, IReadOnlyList<string> Environment, string Folder, uint User)
{
    /// <summary>The player's group.</summary>
    public required uint Group { get; init; }
}

/// <summary>What was seen of a product that was started.</summary>
/// <param name="Result">What came of it.</param>
/// <param name="Took">How long it was watched.</param>
public sealed record TrialReport(TrialResult Result, TimeSpan Took)
{
    /// <summary>The number of its process; 0 if it could not be started.</summary>
    public int Pid { get; init; }

    /// <summary>Its exit code; null if it runs, or if a signal ended it.</summary>
    public int? Code { get; init; }

    /// <summary>The signal that ended it.</summary>
    public int? Signal { get; init; }

    /// <summary>True if its memory was written down, or given to a program for that.</summary>
    public bool HasCore { get; init; }

    /// <summary>Why it could not be started.</summary>
    public string? Reason { get; init; }

    /// <summary>The last lines that it printed.</summary>
    public IReadOnlyList<string> LastLines { get; init; } = [];

    /// <summary>What the loader says of a library that it lacks.</summary>
    public IReadOnlyList<string> LoaderLines { get; init; } = [];

    /// <summary>What the kernel says of it; null if only root may read that.</summary>
    public IReadOnlyList<string>? KernelLines { get; init; }

    /// <summary>Processes that it has started and that run.</summary>
    public IReadOnlyList<RunningProcess> Left { get; init; } = [];

    /// <summary>What became of its processes, where they were to be ended.</summary>
    public IReadOnlyList<EndedProcess> Ended { get; init; } = [];
}
