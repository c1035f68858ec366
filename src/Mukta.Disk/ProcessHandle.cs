using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>Holds on to one process by a descriptor (pidfd_open(2)), so that a number that is given out again is never hit.</summary>
public sealed class ProcessHandle : IDisposable
{
    private readonly SafeFileHandle handle;

    private ProcessHandle(SafeFileHandle handle) => this.handle = handle;

    /// <summary>True once the process has ended.</summary>
    public bool HasEnded => Native.HasEnded(handle);

    /// <summary>Opens a process; null if there is none of this number.</summary>
    public static ProcessHandle? Open(int pid) => Native.HoldProcess(pid) is { } handle ? new ProcessHandle(handle) : null;

    /// <summary>Sends a signal (pidfd_send_signal(2)).</summary>
    /// <param name="signal">The signal's number.</param>
    /// <param name="isForbidden">True if this user may not.</param>
    public bool TrySignal(int signal, out bool isForbidden) => Native.TrySignal(handle, signal, out isForbidden);

    /// <inheritdoc/>
    public void Dispose() => handle.Dispose();
}
