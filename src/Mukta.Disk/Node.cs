namespace Mukta.Disk;

/// <summary>What stands at a path.</summary>
public enum NodeKind
{
    /// <summary>A regular file.</summary>
    File,

    /// <summary>A folder.</summary>
    Folder,

    /// <summary>A symbolic link.</summary>
    Link,

    /// <summary>A socket, pipe or device.</summary>
    Special,
}

/// <summary>One file, folder or link as the disk has it. Links are never followed.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Mode">The permission bits, 0 to 07777.</param>
/// <param name="User">The owner's number.</param>
/// <param name="Group">The group's number.</param>
/// <param name="Device">The file system it is on.</param>
/// <param name="Inode">Its number there.</param>
/// <param name="ModifiedNs">Last change of its bytes, nanoseconds since 1970 UTC.</param>
/// <param name="ChangedNs">Last change of its bytes or attributes, nanoseconds since 1970 UTC.</param>
public readonly record struct Node(
    NodeKind Kind, long Size, int Mode, uint User, uint Group, ulong Device, ulong Inode, long ModifiedNs, long ChangedNs)
{
    private const ulong Immutable = 0x10, AppendOnly = 0x20;

    /// <summary>True where a flag forbids even its owner to change, rename or remove it (chattr(1), i or a).</summary>
    public bool IsLocked { get; init; }

    /// <summary>The mount it is reached by: only within one can names be moved. 0 if the kernel does not tell (before 5.8).</summary>
    public ulong MountId { get; init; }

    /// <summary>How many names it has.</summary>
    public uint Links { get; init; }

    /// <summary>What stands at a path, with links followed, as stat(2) does; null where nothing does.</summary>
    /// <exception cref="DiskException">A folder on the way may not be entered, or the disk fails.</exception>
    public static Node? At(string path)
    {
        if (Native.StatxAt(Native.AtFdCwd, PathBytes.Encode(path), 0, Native.StatxBasic, out var found) == 0)
            return From(found);
        var failure = Folder.Failure("look at", path);
        return failure.IsAbsent ? null : throw failure;
    }

    /// <summary>True where the two looks saw the same bytes: same file, same size, same times.</summary>
    public bool IsSameAs(in Node other) =>
        (Kind, Size, Device, Inode, ModifiedNs, ChangedNs) ==
        (other.Kind, other.Size, other.Device, other.Inode, other.ModifiedNs, other.ChangedNs);

    internal static Node From(in Native.Statx s) => new(
        (s.Mode & 0xF000) switch { 0x8000 => NodeKind.File, 0x4000 => NodeKind.Folder, 0xA000 => NodeKind.Link, _ => NodeKind.Special },
        (long)s.Size, s.Mode & 0xFFF, s.User, s.Group, ((ulong)s.DeviceMajor << 32) | s.DeviceMinor, s.Inode,
        Nanoseconds(s.Modified), Nanoseconds(s.Changed))
    { IsLocked = (s.Attributes & (Immutable | AppendOnly)) != 0, Links = s.Links, MountId = (s.Mask & 0x1000) != 0 ? s.MountId : 0 };

    internal static long AccessedNs(in Native.Statx s) => Nanoseconds(s.Accessed);

    private static long Nanoseconds(in Native.StatxTime t) => unchecked(t.Seconds * 1_000_000_000L + t.Nanoseconds);
}
