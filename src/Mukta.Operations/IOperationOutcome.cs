namespace Mukta.Operations;

/// <summary>What came of an operation.</summary>
public interface IOperationOutcome
{
    /// <summary>The operation with which it can be undone; null if it has changed nothing, or nothing that can be undone.</summary>
    string? Operation { get; }

    /// <summary>What the program answers to the shell.</summary>
    ExitCode Code { get; }
}
