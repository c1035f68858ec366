using System.Globalization;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Processes;

/// <summary>Writes down how a program was started before it is ended, and starts it again.</summary>
internal static class StoppedPrograms
{
    private const string SetPrivileges = "/usr/bin/setpriv";
    private static readonly TimeSpan Moment = TimeSpan.FromMilliseconds(300);

    /// <summary>What a program needs to know of its user's session. The rest of an environment may hold passwords and is not kept.</summary>
    private static readonly string[] OfSession =
    [
        "DBUS_SESSION_BUS_ADDRESS", "DISPLAY", "HOME", "LANG", "LOGNAME", "PATH", "SHELL", "TZ", "USER", "WAYLAND_DISPLAY",
        "XAUTHORITY",
    ];

    /// <summary>How a process was started; null if that cannot be seen.</summary>
    public static ProcessStopped? Of(int pid)
    {
        try
        {
            var process = new ProcessView($"/proc/{pid.ToString(CultureInfo.InvariantCulture)}");
            return process is not { Program: { } program, Arguments: { Count: > 0 } arguments, WorkingFolder: { } folder } ? null
                : new ProcessStopped(program, arguments, folder, [.. process.Environment.Where(IsKept)], process.Owner, process.OwnGroup);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or FormatException or InvalidOperationException)
        {
            return null;
        }
    }

    /// <summary>Starts a program, unless it runs.</summary>
    /// <exception cref="NotRestoredException">It does not start.</exception>
    public static void Start(ProcessStopped stopped, CancellationToken cancel)
    {
        if (IsRunning(stopped))
            return;
        var isOwn = stopped.User == CurrentUser.Number;
        if (!isOwn && !File.Exists(SetPrivileges))
            throw new NotRestoredException($"{SetPrivileges} is not there, so it could not be started as its user");
        string[] arguments = isOwn ? [.. stopped.Arguments]
            : [SetPrivileges, Number("--reuid", stopped.User), Number("--regid", stopped.Group), "--init-groups", "--", stopped.Program,
                .. stopped.Arguments.Skip(1)];
        try
        {
            DetachedProcess.Start(isOwn ? stopped.Program : SetPrivileges, arguments, stopped.Environment, stopped.Folder);
        }
        catch (DiskException e)
        {
            throw new NotRestoredException($"it does not start: {e.What}");
        }

        cancel.WaitHandle.WaitOne(Moment);
        if (!IsRunning(stopped))
            throw new NotRestoredException("it was started and ended at once");
    }

    private static bool IsRunning(ProcessStopped stopped) => Directory.EnumerateDirectories("/proc")
        .Select(f => int.TryParse(Path.GetFileName(f), NumberStyles.None, CultureInfo.InvariantCulture, out var pid) ? Of(pid) : null)
        .Any(p => p?.IsSameAs(stopped) == true);

    private static bool IsKept(string variable) => OfSession.Contains(variable.Split('=')[0])
        || variable.StartsWith("XDG_", StringComparison.Ordinal) || variable.StartsWith("LC_", StringComparison.Ordinal);

    private static string Number(string option, uint value) => string.Create(CultureInfo.InvariantCulture, $"{option}={value}");
}
