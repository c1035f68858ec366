using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Operations;

namespace Mukta.Host;

/// <summary>Changes services back through the service manager, and starts programs again that were ended.</summary>
/// <param name="control">The service manager.</param>
/// <param name="cancel">Interrupts.</param>
public sealed class SystemUndo(IServiceControl control, CancellationToken cancel) : ISystemUndo
{
    /// <summary>The units that profiles name: no other is touched, whatever a journal says.</summary>
    public required IReadOnlySet<string> Units { get; init; }

    /// <inheritdoc/>
    public bool MayRestore(string unit) => Units.Contains(unit);

    /// <inheritdoc/>
    public ServiceChanged Now(string unit) => ServiceRecord.Of(State(unit));

    /// <inheritdoc/>
    public void Restore(ServiceChanged before)
    {
        var was = new ServiceState(before.Unit, before.Startup == "masked" ? "masked" : "loaded", before.Startup, before.Active);
        foreach (var step in ServicePlan.Back(was, State(before.Unit)).Steps)
            control.DoAsync(step.Act, step.Unit, cancel).GetAwaiter().GetResult();
    }

    /// <inheritdoc/>
    public void Start(ProcessStopped stopped) => StoppedPrograms.Start(stopped, cancel);

    private ServiceState State(string unit) => control.StatesAsync([unit], cancel).GetAwaiter().GetResult()[0];
}
