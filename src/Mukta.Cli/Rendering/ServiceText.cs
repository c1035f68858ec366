using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Services as a technician reads them.</summary>
internal sealed class ServiceText(IAnsiConsole console)
{
    /// <summary>The act's name, as the service manager calls it.</summary>
    public static string Name(ServiceAct act) => act == ServiceAct.ResetFailed ? "reset-failed" : act.ToString().ToLowerInvariant();

    public void Write(IReadOnlyList<ServiceExpectation> expected, IReadOnlyList<ServiceState> states)
    {
        foreach (var (service, state) in expected.Zip(states))
        {
            var isGood = state.IsAsExpected(service);
            console.MarkupLineInterpolated($"[bold]{service.Unit}[/]  {(isGood ? "ok" : "differs from the profile")}");
            console.WriteLine(
                $"  startup  {Startup(state)}"
                + $"{(state.HasStartup(service.Startup) && !state.IsMasked ? "" : $", should be {service.Startup}")}");
            if (state.IsThere)
            {
                console.WriteLine(
                    $"  state    {Active(state)}"
                    + $"{(state.Active is null || state.Active == service.State ? "" : $", should be {service.State}")}");
            }

            foreach (var line in state.LastLines)
                console.WriteLine($"  log      {PathBytes.Shown(line)}");
        }
    }

    public void Plan(ServicePlan plan)
    {
        console.MarkupLine("\n[bold]Plan[/]");
        foreach (var step in plan.Steps)
            console.WriteLine($"  {Sentence(step)}");
    }

    public static string Sentence(ServiceStep step) => step.Act switch
    {
        ServiceAct.Unmask => $"unmask {step.Unit}, so that it can be started",
        ServiceAct.Mask => $"mask {step.Unit}, so that nothing can start it",
        ServiceAct.Enable => $"enable {step.Unit}, so that it starts with the machine",
        ServiceAct.Disable => $"disable {step.Unit}, so that it does not start by itself",
        ServiceAct.ResetFailed => $"forget that {step.Unit} has failed",
        _ => $"{Name(step.Act)} {step.Unit}",
    };

    private static string Startup(ServiceState state) =>
        !state.IsThere ? "not installed" : state.Startup.Length > 0 ? state.Startup : state.Load;

    private static string Active(ServiceState state)
    {
        if (state.Active is null)
            return "unknown: the machine is not running";
        var words = state.Sub.Length > 0 && state.Sub != state.Active ? $"{state.Active} ({state.Sub})" : state.Active;
        if (state.Active == "failed")
            words += $", {state.Result}, status {state.ExitStatus}";
        return state.Since is { } since ? $"{words}, since {since.ToLocalTime():yyyy-MM-dd HH:mm:ss}" : words;
    }
}
