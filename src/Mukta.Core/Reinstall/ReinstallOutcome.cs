using Mukta.Operations;

namespace Mukta.Reinstall;

/// <summary>What has become of one install.</summary>
/// <param name="Target">The install.</param>
/// <param name="BytesFetched">Bytes that sources have delivered.</param>
/// <param name="Archive">Where the copy of the user's data is; null if there was none.</param>
/// <param name="After">The verification at the end.</param>
public sealed record ReinstalledTarget(ReinstallTarget Target, long BytesFetched, string? Archive, Verification.VerifyResult After);

/// <summary>What a clean reinstall has done.</summary>
/// <param name="Operation">Its id.</param>
/// <param name="Targets">The installs, in the order in which they were made.</param>
/// <param name="Elapsed">How long it took, without what an interrupted run took before.</param>
public sealed record ReinstallOutcome(string Operation, IReadOnlyList<ReinstalledTarget> Targets, TimeSpan Elapsed) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => Targets.All(t => t.After.IsIntact) ? ExitCode.Done : ExitCode.Problems;
}
