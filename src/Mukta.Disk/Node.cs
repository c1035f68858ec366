namespace Mukta.Disk;

/// <summary>What is at a path.</summary>
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
public readonly record struct Node
{
    private const ulong Immutable = 0x10, AppendOnly = 0x20;

    /// <summary>What it is.</summary>
    public NodeKind Kind { get; init; }

    /// <summary>Bytes.</summary>
    public long Size { get; init; }

    /// <summary>The permission bits, 0 to 07777.</summary>
    public int Mode { get; init; }

    /// <summary>The owner's number.</summary>
    public uint User { get; init; }

    /// <summary>The group's number.</summary>
    public uint Group { get; init; }

    /// <summary>The file system it is on.</summary>
    public ulong Device { get; init; }

    /// <summary>Its number there.</summary>
    public ulong Inode { get; init; }

    /// <summary>Last change of its bytes, nanoseconds since 1970 UTC.</summary>
    public long ModifiedNs { get; init; }

    /// <summary>Last change of its bytes or attributes, nanoseconds since 1970 UTC.</summary>
    public long ChangedNs { get; init; }

    /// <summary>True if a flag forbids even its owner to change, rename or remove it (chattr(1), i or a).</summary>
    public bool IsLocked { get; init; }

    /// <summary>The mount it is reached by: only within one can names be moved. 0 if the kernel does not say (before 5.8).</summary>
    public ulong MountId { get; init; }

    /// <summary>How many names it has.</summary>
    public uint Links { get; init; }

    /// <summary>What is at a path, with links followed, as stat(2) does; null if nothing is.</summary>
    /// <exception cref="DiskException">A folder on the way may not be entered, or the disk fails.</exception>
    public static Node? At(string path)
    {
        if (Native.StatxAt(Native.AtFdCwd, PathBytes.Encode(path), 0, Native.StatxBasic, out var found) == 0)
            return From(found);
        var failure = Folder.Failure("look at", path);
        return failure.IsAbsent ? null : throw failure;
    }

    /// <summary>True if the two looks saw the same bytes: same file, same size, same times.</summary>
    public bool IsSameAs(in Node other) =>
        (Kind, Size, Device, Inode, ModifiedNs, ChangedNs) ==
        (other.Kind, other.Size, other.Device, other.Inode, other.ModifiedNs, other.ChangedNs);

    internal static Node From(in Native.Statx s) => new()
    {
        Kind = (s.Mode & 0xF000) switch
        {
            0x8000 => NodeKind.File,
            0x4000 => NodeKind.Folder,
            0xA000 => NodeKind.Link,
            _ => NodeKind.Special,
        },
        Size = (long)s.Size,
        Mode = s.Mode & 0xFFF,
        User = s.User,
        Group = s.Group,
        Device = ((ulong)s.DeviceMajor << 32) | s.DeviceMinor,
        Inode = s.Inode,
        ModifiedNs = Nanoseconds(s.Modified),
        ChangedNs = Nanoseconds(s.Changed),
        IsLocked = (s.Attributes & (Immutable | AppendOnly)) != 0,
        Links = s.Links,
        MountId = (s.Mask & 0x1000) != 0 ? s.MountId : 0,
    };

    internal static long AccessedNs(in Native.Statx s) => Nanoseconds(s.Accessed);

    private static long Nanoseconds(in Native.StatxTime t) => unchecked(t.Seconds * 1_000_000_000L + t.Nanoseconds);
}
