using Mukta.Host;
using Mukta.Host.Services;

namespace Mukta.Cli;

/// <summary>Who may change services.</summary>
internal static class ServiceRights
{
    /// <summary>True where the user named a service control of their own: whether that needs rights is theirs to know.</summary>
    private static bool IsOwnControl => Environment.GetEnvironmentVariable(Systemctl.Variable) is { Length: > 0 };

    /// <summary>Refuses before anything is done.</summary>
    /// <param name="control">The service manager.</param>
    /// <param name="machine">The machine.</param>
    /// <param name="units">What would be changed.</param>
    /// <param name="command">The command to type with the rights.</param>
    /// <exception cref="MuktaException">They cannot be changed here, or not by this user.</exception>
    public static void Refuse(IServiceControl control, Machine machine, IEnumerable<string> units, string command)
    {
        if (!control.CanChange)
            throw new MuktaException(ExitCode.BadInput, "Services can only be changed on the machine that runs them.", machine.Root, "Start that machine and run the command there.");
        if (!Environment.IsPrivilegedProcess && !IsOwnControl)
            throw new MuktaException(ExitCode.Blocked, "Changing services needs the rights of root, so nothing was done.", string.Join(", ", units), $"Type: sudo {command}");
    }
}
