using Mukta.Operations;

namespace Mukta.Host.Services;

/// <summary>Writes down how services were before an operation changed them, so that an undo can bring them back.</summary>
public sealed class ServiceRecord : IDisposable
{
    private readonly UserHeldAreas areas;
    private readonly bool isOwn = true;

    /// <summary>Begins an operation of its own.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="product">The product's id.</param>
    /// <param name="time">For the operation's date.</param>
    /// <param name="begun">Told of the operation and of the folder of held areas that it uses.</param>
    public ServiceRecord(Machine machine, string product, TimeProvider time, Action<OperationHeader, string>? begun = null) =>
        areas = new UserHeldAreas(machine.Home, OperationHeader.New("services", product, null, OperationHeader.Root, time), begun);

    /// <summary>Writes into an operation that has further steps.</summary>
    internal ServiceRecord(UserHeldAreas areas) => (this.areas, isOwn) = (areas, false);

    /// <summary>The operation's id.</summary>
    public string Operation => areas.Operation;

    /// <inheritdoc/>
    public void Dispose()
    {
        if (isOwn)
            areas.Dispose();
    }

    internal static OperationLine Line(ServiceState state) =>
        new(OperationRecord.ServiceAct, state.Unit) { Startup = state.IsMasked ? "masked" : state.Startup, Active = state.Active };

    internal void Note(ServiceState before) => areas.Usual.Note(Line(before));

    internal void End()
    {
        if (isOwn)
            areas.End();
    }
}
