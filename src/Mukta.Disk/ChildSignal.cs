using System.Runtime.InteropServices;

namespace Mukta.Disk;

/// <summary>The signal by which the kernel says that a process has ended which this one has started (signal(7)).</summary>
public static partial class ChildSignal
{
    private const int Signal = 17; // SIGCHLD
    private const nint Default = 0, Ignore = 1, Failed = -1;

    /// <summary>
    /// Has the kernel tell it again where it was ignored: whoever starts a program may hand that on, and then the end of a process is never
    /// seen. To be called before anything is started.
    /// </summary>
    public static void Restore()
    {
        var before = Handle(Signal, Default);
        if (before is not (Default or Ignore or Failed))
            _ = Handle(Signal, before);
    }

    [LibraryImport("libc", EntryPoint = "signal")]
    private static partial nint Handle(int signal, nint handler);
}
