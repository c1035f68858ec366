namespace Mukta.Disk;

/// <summary>Room that is left on a file system, for users who are not root.</summary>
/// <param name="FreeBytes">Bytes that may still be written.</param>
/// <param name="FreeInodes">Files and folders that may still be made; null if the file system has no such limit.</param>
public readonly record struct Room(long FreeBytes, long? FreeInodes)
{
    /// <summary>Bytes that are left free when a plan is checked against the room: 4 MiB for journals and folders.</summary>
    public const long ToSpare = 4 << 20;

    /// <summary>Refuses what needs more room than there is.</summary>
    /// <param name="place">Where it would be written.</param>
    /// <param name="bytes">Bytes that it needs at most; 0 if it needs none.</param>
    /// <param name="names">Files and folders that it makes at most.</param>
    /// <param name="what">What needs the room, such as "the repair".</param>
    /// <param name="next">What to do about it, as a sentence.</param>
    /// <exception cref="MuktaException">There is less.</exception>
    public static void Prove(string place, long bytes, long names, string what, string next)
    {
        var room = At(place);
        var lack = bytes > 0 && room.FreeBytes < bytes + ToSpare
            ? $"The disk has {Units.Bytes(room.FreeBytes)} free; {what} needs up to {Units.Bytes(bytes + ToSpare)}."
            : room.FreeInodes < names
            ? $"On this disk {Units.Count(room.FreeInodes.Value, "more file")} can be made; {what} needs up to {Units.Number(names)}."
            : null;
        if (lack is not null)
            throw new MuktaException(ExitCode.Blocked, lack, PathBytes.Shown(place), "Nothing was touched. " + next);
    }

    /// <summary>The room under a path (statvfs(3)).</summary>
    /// <exception cref="DiskException">There is no such path, or the system does not say.</exception>
    public static Room At(string path)
    {
        if (Native.FileSystemStatus(PathBytes.Encode(path), out var status) != 0)
            throw Folder.Failure("ask for the room left at", path);
        return new Room((long)(status.BlocksAvailable * status.FragmentSize), status.Inodes == 0 ? null : (long)status.InodesAvailable);
    }
}
