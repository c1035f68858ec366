namespace Mukta.Reinstall;

/// <summary>An operation has stopped before its end.</summary>
/// <param name="state">The state that the machine is in.</param>
/// <param name="operation">The operation.</param>
/// <param name="cause">Why.</param>
public sealed class ReinstallStopped(ReinstallState state, string operation, MuktaException cause) : MuktaException(cause.Code, cause.What, cause.Where, cause.Next, cause)
{
    /// <summary>A failure of the disk or of rights, which is no defect, as a failure of this family; null for anything else.</summary>
    /// <param name="failure">The failure.</param>
    /// <param name="install">The install that was worked on.</param>
    internal static MuktaException? AsMuktaException(Exception failure, string install) => failure switch
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
