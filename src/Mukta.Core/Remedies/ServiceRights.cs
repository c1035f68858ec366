using Mukta.Host;

namespace Mukta.Remedies;

/// <summary>Who may change services.</summary>
internal static class ServiceRights
{
    /// <summary>Proves that services can be changed here and by this user, before anything is done.</summary>
    /// <exception cref="MuktaException">They cannot.</exception>
    public static void Prove(OperationTools tools, Machine machine, IReadOnlyCollection<string> units)
    {
        if (units.Count == 0)
            return;
        if (!tools.Services.CanChange)
        {
            throw new MuktaException(
                ExitCode.BadInput, "Services can only be changed on the machine that runs them.", machine.Root,
                "Start that machine and run the command there.");
        }

        if (tools.Services.NeedsRoot && !Environment.IsPrivilegedProcess)
        {
            throw new MuktaException(
                ExitCode.Blocked, "Changing services needs the rights of root, so nothing was done.", string.Join(", ", units),
                $"Type: sudo {tools.Typed}");
        }
    }
}
