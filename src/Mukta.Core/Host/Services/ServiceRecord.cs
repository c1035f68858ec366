using Mukta.Operations;

namespace Mukta.Host.Services;

/// <summary>Writes down how services were before an operation changed them, so that an undo can bring them back.</summary>
internal static class ServiceRecord
{
    /// <summary>Writes it down. After an interruption what was written down first is what an undo has to go back to.</summary>
    public static void NoteOnce(Operation operation, ServiceState before)
    {
        if (!operation.Main.Changes.Any(c => c is ServiceChanged noted && noted.Unit == before.Unit))
            operation.Main.Note(Of(before));
    }

    /// <summary>How a service is, as a journal has it.</summary>
    public static ServiceChanged Of(ServiceState state) =>
        new(state.Unit, state.IsMasked ? "masked" : state.Startup, state.Active ?? "unknown");
}
