namespace Mukta.Disk;

/// <summary>Room that is left on a file system, for users who are not root.</summary>
/// <param name="FreeBytes">Bytes that may still be written.</param>
/// <param name="FreeInodes">Files and folders that may still be made; null where the file system has no such limit.</param>
public readonly record struct Room(long FreeBytes, long? FreeInodes);

/// <summary>What the file system under a path can do.</summary>
public static class FileSystemFacts
{
    private static readonly string[] WithoutModes = ["vfat", "msdos", "exfat", "ntfs", "ntfs3", "fuseblk", "iso9660", "udf"];

    /// <summary>True where the file system keeps each file's permission bits.</summary>
    public static bool KeepsModes(string path) => !WithoutModes.Contains(Mount.Of(path)?.Type);

    /// <summary>True where a copy of a file shares its bytes until one of them changes (FICLONE in ioctl_ficlone(2)).</summary>
    public static bool SharesBytes(string path) => Mount.Of(path)?.Type is "btrfs" or "xfs" or "bcachefs";

    /// <summary>The room under a path (statvfs(3)).</summary>
    /// <exception cref="DiskException">There is no such path, or the system does not tell.</exception>
    public static Room RoomAt(string path)
    {
        if (Native.FileSystemStatus(PathBytes.Encode(path), out var status) != 0)
            throw Folder.Failure("ask for the room left at", path);
        return new Room((long)(status.BlocksAvailable * status.FragmentSize), status.Inodes == 0 ? null : (long)status.InodesAvailable);
    }

    /// <summary>The file system's own number (f_fsid), which most keep from one mount to the next.</summary>
    public static ulong NumberOf(string path) => Native.FileSystemStatus(PathBytes.Encode(path), out var status) == 0 ? status.FileSystemNumber : 0;

    /// <summary>Bytes that may still be written by this user.</summary>
    public static long FreeBytes(string path) => RoomAt(path).FreeBytes;
}
