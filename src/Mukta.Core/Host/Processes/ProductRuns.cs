namespace Mukta.Host.Processes;

/// <summary>Nothing is touched while the product runs.</summary>
/// <param name="running">The processes; at least one.</param>
/// <param name="next">How to end them.</param>
public sealed class ProductRuns(IReadOnlyList<RunningProcess> running, string next) : MuktaException(
    ExitCode.Blocked, "The product is running, so nothing was changed.",
    string.Join("\n", running.Select(p => $"process {p.Pid}, {Disk.PathBytes.Shown(p.Name)}: {Disk.PathBytes.Shown(p.Reasons[0])}")), next)
{
    /// <summary>The processes.</summary>
    public IReadOnlyList<RunningProcess> Running { get; } = running;
}
