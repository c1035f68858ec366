using System.Globalization;
using Mukta.Operations;

namespace Mukta.Host.Processes;

/// <summary>Writes down how a program was started before it is ended, and starts it again.</summary>
internal static class StoppedPrograms
{
    private static readonly TimeSpan Moment = TimeSpan.FromMilliseconds(300);

    /// <summary>How a process was started; null if that cannot be seen.</summary>
    public static ProcessStopped? Of(int pid)
    {
        try
        {
            var process = new ProcessView($"/proc/{pid.ToString(CultureInfo.InvariantCulture)}");
            return process is not { Program: { } program, Arguments: { Count: > 0 } arguments, WorkingFolder: { } folder } ? null
                : new ProcessStopped(
                    program, arguments, folder, [.. process.Environment.Where(UserProcess.IsOfSession)], process.Owner, process.OwnGroup);
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
        try
        {
            UserProcess.Start(stopped, null);
        }
        catch (MuktaException e)
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
}
