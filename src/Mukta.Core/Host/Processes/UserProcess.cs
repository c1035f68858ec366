using System.Globalization;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Processes;

/// <summary>Starts a program as the user whose it is, so that it outlives Mukta.</summary>
internal static class UserProcess
{
    private const string SetPrivileges = "/usr/bin/setpriv";

    /// <summary>What a program needs to know of its user's session. The rest of an environment may hold passwords.</summary>
    private static readonly string[] OfSession =
    [
        "DBUS_SESSION_BUS_ADDRESS", "DISPLAY", "HOME", "LANG", "LOGNAME", "PATH", "SHELL", "TZ", "USER", "WAYLAND_DISPLAY",
        "XAUTHORITY",
    ];

    /// <summary>True for a variable, as <c>NAME=VALUE</c>, that tells a program of its user's session.</summary>
    public static bool IsOfSession(string variable) => OfSession.Contains(variable.Split('=')[0])
        || variable.StartsWith("XDG_", StringComparison.Ordinal) || variable.StartsWith("LC_", StringComparison.Ordinal);

    /// <summary>Starts it. Another user's is started through setpriv(1), which only root can do.</summary>
    /// <param name="program">The program, and as whom.</param>
    /// <param name="output">A file that takes what it prints; null for nowhere.</param>
    /// <returns>The number of its process.</returns>
    /// <exception cref="MuktaException">It cannot be started.</exception>
    public static int Start(ProcessStopped program, string? output)
    {
        if (program.User == CurrentUser.Number)
            return DetachedProcess.Start(program.Program, program.Arguments, program.Environment, program.Folder, output);
        if (!File.Exists(SetPrivileges) || CurrentUser.Number != 0)
        {
            throw new MuktaException(
                ExitCode.Blocked, $"It can be started as user {program.User} only by root, through setpriv.", program.Program,
                "Run the command with sudo, and install util-linux if setpriv is missing.");
        }

        var number = program.User.ToString(CultureInfo.InvariantCulture);
        var hasAccount = File.ReadLines("/etc/passwd").Any(l => l.Split(':') is [_, _, var user, ..] && user == number);
        string[] arguments =
        [
            SetPrivileges, Number("--reuid", program.User), Number("--regid", program.Group),
            hasAccount ? "--init-groups" : "--clear-groups", "--", program.Program, .. program.Arguments.Skip(1),
        ];
        return DetachedProcess.Start(SetPrivileges, arguments, program.Environment, program.Folder, output);
    }

    private static string Number(string option, uint value) => string.Create(CultureInfo.InvariantCulture, $"{option}={value}");
}
