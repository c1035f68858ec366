using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// Takes the kernel's lock of a file (flock(2)). It ends with the last descriptor of the open file, however its process ends.
/// </summary>
public static class FileLock
{
    private const int Tries = 20;
    private static readonly TimeSpan Moment = TimeSpan.FromMilliseconds(25);

    /// <summary>
    /// Takes the lock. False if another run holds it. One that is held for less than half a second does not count: whoever starts
    /// a program shares its open files with it for the moment between fork and exec.
    /// </summary>
    public static bool TryTake(SafeFileHandle file) => TryTake(file, Native.LockExclusive);

    private static bool TryTake(SafeFileHandle file, int how)
    {
        for (var tries = 1; Native.Lock(file, how | Native.LockNonBlocking) != 0; tries++)
        {
            if (tries == Tries)
                return false;
            Thread.Sleep(Moment);
        }

        return true;
    }

    /// <summary>True if a run holds the lock, and not only for a moment.</summary>
    public static bool IsTaken(SafeFileHandle file)
    {
        if (!TryTake(file, Native.LockShared))
            return true;
        _ = Native.Lock(file, Native.LockRelease);
        return false;
    }
}
