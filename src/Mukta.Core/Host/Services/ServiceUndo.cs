using Mukta.Operations;

namespace Mukta.Host.Services;

/// <summary>Changes services back through the service manager.</summary>
/// <param name="control">The service manager.</param>
/// <param name="cancel">Interrupts.</param>
public sealed class ServiceUndo(IServiceControl control, CancellationToken cancel) : IServiceUndo
{
    /// <inheritdoc/>
    public OperationLine Now(string unit) => ServiceRecord.Line(State(unit));

    /// <inheritdoc/>
    public void Bring(OperationLine before)
    {
        var was = new ServiceState(before.Path, before.Startup == "masked" ? "masked" : "loaded", before.Startup ?? "", before.Active);
        foreach (var step in ServicePlan.Back(was, State(before.Path)).Steps)
            control.DoAsync(step.Act, step.Unit, cancel).GetAwaiter().GetResult();
    }

    private ServiceState State(string unit) => control.StatesAsync([unit], cancel).GetAwaiter().GetResult()[0];
}
