using Mukta.Operations;

namespace Mukta.Reinstall;

/// <summary>How far an operation on an install has come: what state the machine is in.</summary>
public enum ReinstallState
{
    /// <summary>Nothing has been touched.</summary>
    Untouched,

    /// <summary>The new install is being built beside the old one, which is in its place.</summary>
    Preparing,

    /// <summary>The new install stands ready; the old one is in its place and its services are off.</summary>
    ServicesOff,

    /// <summary>The vendor's remove has run, or begun to; the new install stands ready, and a copy of the old one is held.</summary>
    Removed,

    /// <summary>The same, and it goes on once the machine is restarted.</summary>
    RemovedAndWaits,

    /// <summary>The new install is in its place; what follows it is not all done.</summary>
    ChangedOver,

    /// <summary>The same, and it goes on once the machine is restarted.</summary>
    WaitsForRestart,

    /// <summary>All is done.</summary>
    Finished,
}

/// <summary>The steps of a clean reinstall, in order. In an operation's record each stands with the install's path behind it.</summary>
public static class ReinstallStep
{
    /// <summary>The user's data is copied, and the copy is checked.</summary>
    public const string UserDataCopied = "user-data-copied";

    /// <summary>The new tree is whole.</summary>
    public const string Built = "built";

    /// <summary>Services are off.</summary>
    public const string ServicesOff = "services-off";

    /// <summary>The vendor's remove has begun to run.</summary>
    public const string Removing = "removing";

    /// <summary>The vendor's remove has run.</summary>
    public const string Removed = "removed";

    /// <summary>The new tree is in the old one's place.</summary>
    public const string ChangedOver = "changed-over";

    /// <summary>The user's data is where it was.</summary>
    public const string UserDataBack = "user-data-back";

    /// <summary>Leftovers are held.</summary>
    public const string LeftoversHeld = "leftovers-held";

    /// <summary>The vendor's install has run.</summary>
    public const string SetUp = "set-up";

    /// <summary>Services are as expected.</summary>
    public const string ServicesRestored = "services-restored";

    /// <summary>Launch entries are as expected.</summary>
    public const string LaunchRestored = "launch-restored";

    /// <summary>The new install was verified.</summary>
    public const string Verified = "verified";

    /// <summary>How far an operation has come with an install.</summary>
    /// <param name="operation">The operation.</param>
    /// <param name="path">The install.</param>
    public static ReinstallState StateOf(SteppedOperation operation, string path)
    {
        bool Has(string step) => operation.IsDone(Of(step, path));
        return Has(Verified) ? ReinstallState.Finished
            : Has(ChangedOver) ? operation.IsWaiting ? ReinstallState.WaitsForRestart : ReinstallState.ChangedOver
            : Has(Removing) ? operation.IsWaiting ? ReinstallState.RemovedAndWaits : ReinstallState.Removed
            : Has(ServicesOff) ? ReinstallState.ServicesOff
            : ReinstallState.Preparing;
    }

    /// <summary>True where a step with an install is done in an operation that was interrupted.</summary>
    public static bool IsDone(OperationRecord record, string step, string path) => SteppedOperation.HasStep(record, Of(step, path));

    internal static string Of(string step, string path) => $"{step} {path}";

    /// <summary>The installs of an operation that was interrupted.</summary>
    public static IReadOnlyList<(string Product, string Path)> TargetsOf(OperationRecord record) =>
        [.. record.Lines.Where(l => l.Act == TargetAct).Select(l => (l.From!, l.Path))];

    internal const string TargetAct = "target", UserDataAct = "user-data", InsideAct = "inside";
}

/// <summary>An operation has stopped before its end.</summary>
/// <param name="state">The state that the machine is in.</param>
/// <param name="operation">The operation.</param>
/// <param name="cause">Why.</param>
public sealed class ReinstallStopped(ReinstallState state, string operation, MuktaException cause) : MuktaException(cause.Code, cause.What, cause.Where, cause.Next, cause)
{
    /// <summary>A failure of the disk or of rights, which is no defect, as a failure of this family; null for anything else.</summary>
    /// <param name="failure">The failure.</param>
    /// <param name="install">The install that was worked on.</param>
    internal static MuktaException? Told(Exception failure, string install) => failure switch
    {
        ReinstallStopped => null,
        MuktaException told => told,
        IOException or UnauthorizedAccessException => new MuktaException(
            ExitCode.Blocked, $"The system refused to read or write: {failure.Message.TrimEnd('.')}.", Disk.PathBytes.Shown(install), "Look at the room on the disk and at the system's log, then run the same command again.", failure),
        _ => null,
    };

    /// <summary>The state that the machine is in.</summary>
    public ReinstallState State => state;

    /// <summary>The operation's id.</summary>
    public string Operation => operation;
}

/// <summary>What has become of one install.</summary>
/// <param name="Target">The install.</param>
/// <param name="BytesFetched">Bytes that sources have delivered.</param>
/// <param name="Archive">Where the copy of the user's data is; null where there was none.</param>
/// <param name="After">The verification at the end.</param>
public sealed record ReinstalledTarget(ReinstallTarget Target, long BytesFetched, string? Archive, Verification.VerifyResult After);

/// <summary>What a clean reinstall has done.</summary>
/// <param name="Operation">Its id.</param>
/// <param name="Targets">The installs, in the order in which they were made.</param>
/// <param name="Elapsed">How long it took, without what an interrupted run took before.</param>
public sealed record ReinstallOutcome(string Operation, IReadOnlyList<ReinstalledTarget> Targets, TimeSpan Elapsed)
{
    /// <summary>What the program answers to the shell.</summary>
    public ExitCode Code => Targets.All(t => t.After.IsIntact) ? ExitCode.Done : ExitCode.Problems;
}
