namespace Mukta.Operations;

/// <summary>What an operation will do, made before anything is touched.</summary>
public interface IOperationPlan
{
    /// <summary>True if there is nothing to do.</summary>
    bool IsEmpty { get; }
}
