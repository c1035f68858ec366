using Mukta.Disk;
using Mukta.Host.Processes;

namespace Mukta.Host.Checks;

/// <summary>What runs of a product. Pure.</summary>
public static class ProcessFindings
{
    /// <summary>Draws findings from a look at the machine's processes.</summary>
    public static IEnumerable<CheckFinding> Of(ProcessLook look)
    {
        foreach (var process in look.Running)
        {
            yield return new CheckFinding(
                FindingKind.ProcessRunning, Verdict.Warning, process.Name,
                $"{PathBytes.Shown(process.Name)} is running (process {process.Pid}): {PathBytes.Shown(process.Reasons[0])}", Remedy.Stop);
        }

        if (look.Hidden > 0)
        {
            yield return new CheckFinding(
                FindingKind.ProcessesHidden, Verdict.Ok, "processes",
                $"{Units.Count(look.Hidden, "process", "processes")} of other users could not be looked into; none is known to use it",
                Remedy.LookAsRoot);
        }
    }
}
