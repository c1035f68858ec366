using Mukta.Operations;

namespace Mukta.Host.Services;

/// <summary>Writes down how services were before an operation changed them, so that an undo can bring them back.</summary>
public sealed class ServiceRecord : IDisposable
{
    private const string Command = "services";

    private readonly Operations.Operation operation;
    private readonly bool isOwn = true;

    /// <summary>Begins an operation of its own, or goes on with one that was interrupted.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="product">The product's id.</param>
    /// <param name="wish">What is asked for.</param>
    /// <param name="time">For the operation's date.</param>
    /// <param name="begun">Told of the operation and of the folder in which it keeps something.</param>
    public ServiceRecord(Machine machine, string product, ServiceWish wish, TimeProvider time, Action<OperationHeader, string>? begun = null) =>
        operation = Operations.Operation.Open(machine.Home, OperationHeader.New(Command, product, null, time), RequestOf(wish), begun);

    /// <summary>Writes into an operation that has further steps.</summary>
    internal ServiceRecord(Operations.Operation operation) => (this.operation, isOwn) = (operation, false);

    /// <summary>The operation's id.</summary>
    public string Operation => operation.Header.Operation;

    /// <summary>Writes down that an interrupted change of services has nothing left to do.</summary>
    public static void EndInterrupted(Machine machine, string product, ServiceWish wish) =>
        Operations.Operation.EndInterrupted(machine.Home, Command, product, RequestOf(wish));

    /// <inheritdoc/>
    public void Dispose()
    {
        if (isOwn)
            operation.Dispose();
    }

    internal static ServiceChanged Line(ServiceState state) => new(state.Unit, state.IsMasked ? "masked" : state.Startup, state.Active ?? "unknown");

    /// <summary>After an interruption what was written down first is what an undo has to go back to.</summary>
    internal void Note(ServiceState before)
    {
        if (!operation.Main.Changes.Any(c => c is ServiceChanged noted && noted.Unit == before.Unit))
            operation.Main.Note(Line(before));
    }

    internal void End()
    {
        if (isOwn)
            operation.End();
    }

    private static string RequestOf(ServiceWish wish) => wish.ToString().ToLowerInvariant();
}
