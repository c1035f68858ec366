using System.Globalization;
using System.Text;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>Keeps a second Mukta off an install. The lock is the kernel's and dies with its process.</summary>
internal sealed class InstallLock : IDisposable
{
    private const string LockFile = OwnFolders.Name + "/lock";

    private readonly SafeFileHandle handle;

    private InstallLock(SafeFileHandle handle) => this.handle = handle;

    /// <summary>Takes the lock of the install in a folder.</summary>
    public static InstallLock Take(string path, TimeProvider time)
    {
        using var install = Folder.Open(path);
        return Take(install, time);
    }

    /// <summary>Takes the lock, and makes Mukta's own folder in the install if there is none.</summary>
    /// <exception cref="MuktaException">Another run holds it, or the install cannot be written.</exception>
    public static InstallLock Take(Folder install, TimeProvider time)
    {
        if (install.Look(OwnFolders.Name) is null && install.Look(".") is { } before)
        {
            OwnFolders.Ensure(install, OwnFolders.Name);
            install.SetModified(".", before.ModifiedNs); // Our own folder is no change of the install.
        }

        var handle = install.OpenOrCreateFile(LockFile, 0b110_100_100);
        if (Native.Lock(handle, Native.LockExclusive | Native.LockNonBlocking) != 0)
        {
            var holder = new byte[200];
            var length = RandomAccess.Read(handle, holder, 0);
            handle.Dispose();
            throw new MuktaException(
                ExitCode.Blocked, "Another run of mukta is working on this install.",
                $"{install.Path}{(length > 0 ? $" ({PathBytes.Shown(PathBytes.Decode(holder.AsSpan(0, length)))})" : "")}",
                "Wait until it has finished, then run the same command again.");
        }

        var note = string.Create(CultureInfo.InvariantCulture, $"process {Environment.ProcessId}, since {time.GetUtcNow():yyyy-MM-dd HH:mm:ss} UTC");
        try
        {
            FileBytes.SetLength(handle, 0, LockFile);
            FileBytes.Write(handle, Encoding.UTF8.GetBytes(note), 0, LockFile);
            return new InstallLock(handle);
        }
        catch
        {
            handle.Dispose();
            throw;
        }
    }

    public void Dispose() => handle.Dispose();
}
