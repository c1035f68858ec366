using Mukta.Disk;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A remedy's plan, as a technician reads it.</summary>
internal sealed class RemedyText(IAnsiConsole console)
{
    private const int NameWidth = 12;

    public void Plan(string title, string name, RemedyPlan plan, bool goesOn)
    {
        console.MarkupLineInterpolated($"[bold]{title}[/], {name}");
        if (goesOn)
            console.WriteLine("Resuming an interrupted run. Finished steps are not repeated.");
        foreach (var group in plan.Steps.GroupBy(s => s.Act))
        {
            foreach (var step in group)
            {
                console.WriteLine($"  {ActName(step.Act).PadRight(NameWidth)}  {PathBytes.Shown(step.Subject)}");
                console.WriteLine($"  {"",NameWidth}  {Reason(step)}");
            }
        }

        if (!plan.IsEmpty)
        {
            console.WriteLine(
                $"  {"kept".PadRight(NameWidth)}  {Units.Bytes(plan.BytesKept)} in {Units.Count(plan.FilesKept, "file")}; nothing is "
                + $"deleted");
            console.WriteLine($"  {"lost".PadRight(NameWidth)}  {Lost(plan)}");
        }

        console.WriteLine();
    }

    public static string ActName(RemedyAct act) => act switch
    {
        RemedyAct.SetAside => "set aside",
        RemedyAct.StopService => "stop",
        RemedyAct.RunVendorRemove => "run",
        RemedyAct.LeaveInPlace => "leave",
        _ => "skip",
    };

    private static string Reason(RemedyStep step) =>
        step.Bytes == 0 && step.Files == 0 ? step.Why : $"{step.Why}, {Units.Bytes(step.Bytes)} in {Units.Count(step.Files, "file")}";

    private static string Lost(RemedyPlan plan)
    {
        var vendor = plan.Steps.Any(s => s.Act == RemedyAct.RunVendorRemove)
            ? " (except what the vendor's remove changes outside of the install)" : "";
        return plan.Loss switch
        {
            PossibleLoss.Settings => "settings, until mukta undo restores them",
            PossibleLoss.UserData => $"the user's own data too, until mukta undo restores it{vendor}",
            PossibleLoss.Product => $"nothing of the user's own; mukta undo restores the product{vendor}",
            _ => "nothing",
        };
    }
}
