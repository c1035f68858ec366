using Mukta.Operations;

namespace Mukta.Reinstall;

/// <summary>A reinstall has stopped before its end.</summary>
public sealed class ReinstallStopped : OperationStopped
{
    /// <summary>A reinstall has stopped.</summary>
    /// <param name="state">The state that the machine is in.</param>
    /// <param name="operation">The operation.</param>
    /// <param name="cause">Why.</param>
    public ReinstallStopped(ReinstallState state, string operation, MuktaException cause)
        : base(operation, cause)
    {
        State = state;
        Situation = state switch
        {
            ReinstallState.Untouched => "State: untouched. Nothing was changed.",
            ReinstallState.Preparing => "State: preparing. The old install is in its place as it was.",
            ReinstallState.ServicesOff => "State: services off. The old install is in its place, the new one stands ready beside it.",
            ReinstallState.Removed =>
            "State: removed. The vendor's uninstall has run or started; the new install stands ready, a copy of the old one is kept.",
            ReinstallState.RemovedAndWaits =>
            "State: removed, waits for a restart. The new install stands ready, a copy of the old one is kept.",
            ReinstallState.ChangedOver => "State: changed over. The new install is in its place and whole; not all that follows is done.",
            ReinstallState.WaitsForRestart => "State: waits for a restart. The new install is in its place.",
            _ => "State: finished.",
        };
    }

    /// <summary>The state that the machine is in.</summary>
    public ReinstallState State { get; }
}
