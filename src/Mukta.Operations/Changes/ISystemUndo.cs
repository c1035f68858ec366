namespace Mukta.Operations;

/// <summary>Changes back what is not on the disk: services, and programs that were ended.</summary>
public interface ISystemUndo
{
    /// <summary>True for a unit that a trusted profile names: a journal alone does not make one.</summary>
    bool MayRestore(string unit);

    /// <summary>How a service is now.</summary>
    ServiceChanged Now(string unit);

    /// <summary>Brings a service back to how it was.</summary>
    /// <exception cref="MuktaException">The service manager does not do it.</exception>
    void Restore(ServiceChanged before);

    /// <summary>Starts a program again, as the user whose it was, unless it runs.</summary>
    /// <exception cref="NotRestoredException">It does not start.</exception>
    void Start(ProcessStopped stopped);
}
