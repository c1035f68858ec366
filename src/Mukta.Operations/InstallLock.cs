using System.Globalization;
using System.Text;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>Keeps a second Mukta off an install. The lock is the kernel's and dies with its process.</summary>
public sealed class InstallLock : IDisposable
{
    /// <summary>The file that is locked, relative to the install: whoever has it open is a run of Mukta.</summary>
    public const string LockFile = OwnFolder.Name + "/lock";

    private readonly WritableFile file;

    private InstallLock(WritableFile file) => this.file = file;

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
        if (install.Look(OwnFolder.Name) is null && install.Look(".") is { } before)
        {
            install.EnsureFolder(OwnFolder.Name); // Whatever has to last in it is flushed with the way to it.
            install.SetModified(".", before.ModifiedNs); // Our own folder is no change of the install.
        }

        var file = install.OpenOrCreateFile(LockFile, 0b110_100_100);
        if (!FileLock.TryTake(file.Handle))
        {
            var holder = new byte[200];
            var length = RandomAccess.Read(file.Handle, holder, 0);
            file.Dispose();
            throw new MuktaException(
                ExitCode.Blocked, "Another run of mukta is working on this install.",
                $"{install.Path}{(length > 0 ? $" ({PathBytes.Shown(PathBytes.Decode(holder.AsSpan(0, length)))})" : "")}",
                "Wait until it has finished, then run the same command again.");
        }

        var note = string.Create(
            CultureInfo.InvariantCulture, $"process {Environment.ProcessId}, since {time.GetUtcNow():yyyy-MM-dd HH:mm:ss} UTC");
        try
        {
            file.SetLength(0);
            file.Write(Encoding.UTF8.GetBytes(note), 0);
            return new InstallLock(file);
        }
        catch
        {
            file.Dispose();
            throw;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => file.Dispose();
}
