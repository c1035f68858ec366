namespace Mukta.Reinstall;

/// <summary>How far an operation on an install has come: what state the machine is in.</summary>
public enum ReinstallState
{
    /// <summary>Nothing has been touched.</summary>
    Untouched,

    /// <summary>The new install is being built beside the old one, which is in its place.</summary>
    Preparing,

    /// <summary>The new install is ready; the old one is in its place and its services are off.</summary>
    ServicesOff,

    /// <summary>The vendor's remove has run, or begun to; the new install is ready, and a copy of the old one is kept.</summary>
    Removed,

    /// <summary>The same, and it goes on once the machine is restarted.</summary>
    RemovedAndWaits,

    /// <summary>The new install is in its place; what follows it is not all done.</summary>
    ChangedOver,

    /// <summary>The same, and it goes on once the machine is restarted.</summary>
    WaitsForRestart,

    /// <summary>All is done.</summary>
    Finished,
}
