using Mukta.Operations;

namespace Mukta.Host.Services;

/// <summary>Changes services back through the service manager.</summary>
/// <param name="control">The service manager.</param>
/// <param name="cancel">Interrupts.</param>
public sealed class ServiceUndo(IServiceControl control, CancellationToken cancel) : IServiceUndo
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

    private ServiceState State(string unit) => control.StatesAsync([unit], cancel).GetAwaiter().GetResult()[0];
}
