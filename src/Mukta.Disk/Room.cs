namespace Mukta.Disk;

/// <summary>Room that is left on a file system, for users who are not root.</summary>
/// <param name="FreeBytes">Bytes that may still be written.</param>
/// <param name="FreeInodes">Files and folders that may still be made; null if the file system has no such limit.</param>
public readonly record struct Room(long FreeBytes, long? FreeInodes)
{
    /// <summary>Bytes that are left free when a plan is checked against the room: 4 MiB for journals and folders.</summary>
    public const long ToSpare = 4 << 20;

    /// <summary>The room under a path (statvfs(3)).</summary>
    /// <exception cref="DiskException">There is no such path, or the system does not tell.</exception>
    public static Room At(string path)
    {
        if (Native.FileSystemStatus(PathBytes.Encode(path), out var status) != 0)
            throw Folder.Failure("ask for the room left at", path);
        return new Room((long)(status.BlocksAvailable * status.FragmentSize), status.Inodes == 0 ? null : (long)status.InodesAvailable);
    }
}
