namespace Mukta.Operations;

/// <summary>
/// An operation has stopped before its end. What it has done is written down; the same command goes on, and undo goes back.
/// </summary>
/// <param name="operation">The operation.</param>
/// <param name="cause">Why.</param>
public class OperationStopped(string operation, MuktaException cause)
    : MuktaException(cause.Code, cause.What, cause.Where, cause.Next, cause)
{
    /// <summary>The operation's id.</summary>
    public string Operation => operation;

    /// <summary>What state the machine is in, in one sentence; null if there is no more to say.</summary>
    public string? Situation { get; init; }

    /// <summary>True if there is nothing to go on with: the same command starts again.</summary>
    public bool IsEnded { get; init; }

    /// <summary>A failure of the disk or of rights, which is not a defect, as a failure of this family; null for anything else.</summary>
    /// <param name="failure">The failure.</param>
    /// <param name="where">What was worked on.</param>
    public static MuktaException? AsMuktaException(Exception failure, string where) => failure switch
    {
        OperationStopped => null,
        MuktaException told => told,
        IOException or UnauthorizedAccessException => new MuktaException(
            ExitCode.Blocked, $"The system refused to read or write: {failure.Message.TrimEnd('.')}.", Disk.PathBytes.Shown(where),
            "Check the free space on the disk and the system's log, then run the same command again.", failure),
        _ => null,
    };
}
