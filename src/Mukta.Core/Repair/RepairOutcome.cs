using Mukta.Fetching;
using Mukta.Operations;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>A file that a repair could not repair.</summary>
/// <param name="Path">Relative to the install.</param>
/// <param name="Reason">Why, in a few words.</param>
/// <param name="Code">What that means for the program's answer to the shell.</param>
public sealed record RepairFailure(string Path, string Reason, ExitCode Code);

/// <summary>What a repair has done.</summary>
public sealed record RepairOutcome : IOperationOutcome
{
    /// <summary>The plan it followed.</summary>
    public required RepairPlan Plan { get; init; }

    /// <summary>The operation's id; null if there was nothing to do.</summary>
    public string? Operation { get; init; }

    /// <summary>Where the replaced and removed files are kept, relative to the install; null if none are.</summary>
    public string? KeptAt { get; init; }

    /// <summary>Steps that were done.</summary>
    public int StepsDone { get; init; }

    /// <summary>What each source has delivered.</summary>
    public IReadOnlyList<SourceTally> Sources { get; init; } = [];

    /// <summary>Bytes that were taken from elsewhere on this machine.</summary>
    public long BytesElsewhere { get; init; }

    /// <summary>What the damage looks like.</summary>
    public IReadOnlyList<Damage.FoundCause> Causes { get; init; } = [];

    /// <summary>What did not work.</summary>
    public IReadOnlyList<RepairFailure> Failures { get; init; } = [];

    /// <summary>The verification afterwards.</summary>
    public required VerifyResult After { get; init; }

    /// <summary>What the program answers to the shell.</summary>
    public ExitCode Code =>
        Failures.Any(f => f.Code == ExitCode.NoSource) ? ExitCode.NoSource
        : Failures.Count > 0 ? Failures[0].Code
        : After.IsIntact ? ExitCode.Done
        : ExitCode.Problems;
}
