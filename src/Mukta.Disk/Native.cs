using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>The calls to the C library that .NET has no equal for. Paths are UTF-8 bytes ended by NUL.</summary>
internal static partial class Native
{
    public const int AtFdCwd = -100;
    public const int AtSymlinkNoFollow = 0x100;
    public const int AtRemoveDir = 0x200;
    public const int AtEmptyPath = 0x1000;

    /// <summary>The path of what is open already.</summary>
    public static readonly byte[] Itself = [0];

    public const int ReadOnly = 0;
    public const int ReadWrite = 2;
    public const int Create = 0x40;
    public const int Exclusive = 0x80;
    public const int NonBlock = 0x800;
    public const int CloseOnExec = 0x80000;
    public const int PathOnly = 0x200000;

    public const ulong ResolveNoSymlinks = 0x04;
    public const ulong ResolveNoMagicLinks = 0x02;
    public const ulong ResolveBeneath = 0x08;
    public const ulong ResolveInRoot = 0x10;

    public const uint RenameNoReplace = 1;
    public const uint RenameExchange = 2;
    public const uint StatxBasic = 0x17ff; // STATX_BASIC_STATS and STATX_MNT_ID
    public const int AdviseWillNeed = 3;
    public const int AdviseDontNeed = 4;
    public const int LockShared = 1;
    public const int LockExclusive = 2;
    public const int LockRelease = 8;
    public const int LockNonBlocking = 4;

    private const nint Openat2Number = 437;

    // The two flags that differ between processors (asm-generic against arm).
    private static readonly bool Arm = RuntimeInformation.ProcessArchitecture is Architecture.Arm64 or Architecture.Arm;

    public static int Directory { get; } = Arm ? 0x4000 : 0x10000;

    public static int NoFollow { get; } = Arm ? 0x8000 : 0x20000;

    [StructLayout(LayoutKind.Sequential)]
    public struct OpenHow
    {
        public ulong Flags;
        public ulong Mode;
        public ulong Resolve;
    }

    [StructLayout(LayoutKind.Sequential)]
    public struct StatxTime
    {
        public long Seconds;
        public uint Nanoseconds;
        public int Reserved;
    }

    /// <summary>What <see cref="Statx.Blocks"/> counts, in bytes.</summary>
    public const int BlockSize = 512;

    [StructLayout(LayoutKind.Sequential, Size = 256)]
    public struct Statx
    {
        public uint Mask;
        public uint BlockSize;
        public ulong Attributes;
        public uint Links;
        public uint User;
        public uint Group;
        public ushort Mode;
        public ushort Spare;
        public ulong Inode;
        public ulong Size;
        public ulong Blocks;
        public ulong AttributesMask;
        public StatxTime Accessed;
        public StatxTime Born;
        public StatxTime Changed;
        public StatxTime Modified;
        public uint RdevMajor;
        public uint RdevMinor;
        public uint DeviceMajor;
        public uint DeviceMinor;
        public ulong MountId;
    }

    [StructLayout(LayoutKind.Sequential, Size = 112)]
    public struct StatVfs
    {
        public ulong BlockSize;
        public ulong FragmentSize;
        public ulong Blocks;
        public ulong BlocksFree;
        public ulong BlocksAvailable;
        public ulong Inodes;
        public ulong InodesFree;
        public ulong InodesAvailable;
        public ulong FileSystemNumber;
    }

    public static int OpenBeneath(SafeHandle folder, byte[] path, in OpenHow how)
    {
        var taken = false;
        try
        {
            folder.DangerousAddRef(ref taken);
            return (int)SystemCall(Openat2Number, folder.DangerousGetHandle(), path, in how, 24);
        }
        finally
        {
            if (taken)
                folder.DangerousRelease();
        }
    }

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint SystemCall(nint number, nint folder, byte[] path, in OpenHow how, nint size);

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true)]
    public static partial int OpenAt(int folder, byte[] path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "openat", SetLastError = true)]
    public static partial int OpenAt(SafeFileHandle folder, ReadOnlySpan<byte> path, int flags, uint mode);

    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true)]
    public static partial int StatxAt(SafeFileHandle folder, ReadOnlySpan<byte> path, int flags, uint mask, out Statx result);

    [LibraryImport("libc", EntryPoint = "statx", SetLastError = true)]
    public static partial int StatxAt(int folder, byte[] path, int flags, uint mask, out Statx result);

    [LibraryImport("libc", EntryPoint = "statvfs", SetLastError = true)]
    public static partial int FileSystemStatus(byte[] path, out StatVfs result);

    [LibraryImport("libc", EntryPoint = "unlinkat", SetLastError = true)]
    public static partial int Unlink(SafeFileHandle folder, ReadOnlySpan<byte> name, int flags);

    /// <summary>Goes back to the first name of an open folder.</summary>
    public static void Rewind(SafeFileHandle folder) => Seek(folder, 0, 0);

    [LibraryImport("libc", EntryPoint = "lseek", SetLastError = true)]
    private static partial long Seek(SafeFileHandle file, long offset, int whence);

    [LibraryImport("libc", EntryPoint = "getdents64", SetLastError = true)]
    public static partial nint ReadEntries(SafeFileHandle folder, Span<byte> buffer, nint length);

    [LibraryImport("libc", EntryPoint = "mkdirat", SetLastError = true)]
    public static partial int MakeFolder(SafeFileHandle folder, byte[] name, uint mode);

    [LibraryImport("libc", EntryPoint = "renameat2", SetLastError = true)]
    public static partial int Rename(SafeFileHandle from, byte[] fromName, SafeFileHandle to, byte[] toName, uint flags);

    [LibraryImport("libc", EntryPoint = "linkat", SetLastError = true)]
    public static partial int Link(SafeFileHandle from, byte[] fromName, SafeFileHandle to, byte[] toName, int flags);

    [LibraryImport("libc", EntryPoint = "symlinkat", SetLastError = true)]
    public static partial int SymbolicLink(byte[] target, SafeFileHandle folder, byte[] name);

    [LibraryImport("libc", EntryPoint = "readlinkat", SetLastError = true)]
    public static partial nint ReadLink(SafeFileHandle folder, byte[] name, Span<byte> buffer, nint length);

    /// <summary>Sets permission bits, never those behind a link: fchmodat(2) can do that only with glibc 2.32 and newer.</summary>
    public static int ChangeMode(SafeFileHandle folder, byte[] name, uint mode)
    {
        var fd = OpenAt(folder, name, PathOnly | NoFollow | CloseOnExec, 0);
        if (fd < 0)
            return -1;
        using var handle = new SafeFileHandle(fd, ownsHandle: true);
        if (StatxAt(handle, Itself, AtEmptyPath, StatxBasic, out var found) != 0)
            return -1;
        if (Node.From(found).Kind != NodeKind.Link)
            return ChangeModeAt(AtFdCwd, PathBytes.Encode($"/proc/self/fd/{fd}"), mode, 0);
        Marshal.SetLastPInvokeError(DiskException.NotSupported);
        return -1;
    }

    [LibraryImport("libc", EntryPoint = "fchmodat", SetLastError = true)]
    private static partial int ChangeModeAt(int folder, byte[] path, uint mode, int flags);

    [LibraryImport("libc", EntryPoint = "fchmod", SetLastError = true)]
    public static partial int ChangeMode(SafeFileHandle file, uint mode);

    [LibraryImport("libc", EntryPoint = "fchownat", SetLastError = true)]
    public static partial int ChangeOwner(SafeFileHandle folder, byte[] name, uint user, uint group, int flags);

    [StructLayout(LayoutKind.Sequential)]
    private struct Times
    {
        public long AccessedSeconds, AccessedNanoseconds, ModifiedSeconds, ModifiedNanoseconds;
    }

    /// <summary>Sets the time of the last change and leaves that of the last use (utimensat(2)).</summary>
    public static int SetModified(SafeFileHandle folder, byte[] name, long modifiedNs)
    {
        const long LeaveIt = 0x3ffffffe; // UTIME_OMIT
        var seconds = Math.DivRem(modifiedNs, 1_000_000_000L, out var nanoseconds);
        var times = new Times
        {
            AccessedNanoseconds = LeaveIt,
            ModifiedSeconds = nanoseconds < 0 ? seconds - 1 : seconds,
            ModifiedNanoseconds = nanoseconds < 0 ? nanoseconds + 1_000_000_000L : nanoseconds,
        };
        return SetTimes(folder, name, in times, AtSymlinkNoFollow);
    }

    [LibraryImport("libc", EntryPoint = "utimensat", SetLastError = true)]
    private static partial int SetTimes(SafeFileHandle folder, byte[] name, in Times times, int flags);

    /// <summary>Makes a file share the bytes of another (ioctl_ficlone(2)). False if the file system cannot.</summary>
    public static bool TryClone(SafeFileHandle to, SafeFileHandle from)
    {
        const nuint Ficlone = 0x40049409;
        return Control(to, Ficlone, (int)from.DangerousGetHandle()) == 0;
    }

    [LibraryImport("libc", EntryPoint = "ioctl", SetLastError = true)]
    private static partial int Control(SafeFileHandle file, nuint request, int argument);

    public const int AccessWrite = 2, AccessEnter = 1, AtEffectiveAccess = 0x200;

    /// <summary>Asks whether whoever runs this may (faccessat(3)).</summary>
    [LibraryImport("libc", EntryPoint = "faccessat", SetLastError = true)]
    public static partial int Access(SafeFileHandle folder, byte[] name, int mode, int flags);

    [LibraryImport("libc", EntryPoint = "fsync", SetLastError = true)]
    public static partial int Sync(SafeFileHandle file);

    /// <summary>Flushes all of the file system that an open file or folder is on (syncfs(2)).</summary>
    [LibraryImport("libc", EntryPoint = "syncfs", SetLastError = true)]
    public static partial int SyncFileSystem(SafeFileHandle file);

    [LibraryImport("libc", EntryPoint = "fchown", SetLastError = true)]
    public static partial int ChangeOwner(SafeFileHandle file, uint user, uint group);

    [LibraryImport("libc", EntryPoint = "flock", SetLastError = true)]
    public static partial int Lock(SafeFileHandle file, int operation);

    /// <summary>Begins to write a file's changed bytes and does not wait (sync_file_range(2), SYNC_FILE_RANGE_WRITE).</summary>
    public static int BeginSync(SafeFileHandle file) => SyncRange(file, 0, 0, 2);

    [LibraryImport("libc", EntryPoint = "sync_file_range", SetLastError = true)]
    private static partial int SyncRange(SafeFileHandle file, long offset, long length, uint flags);

    [LibraryImport("libc", EntryPoint = "geteuid")]
    public static partial uint EffectiveUser();

    [LibraryImport("libc", EntryPoint = "setfsuid")]
    public static partial int SetFileSystemUser(uint user);

    [LibraryImport("libc", EntryPoint = "setfsgid")]
    public static partial int SetFileSystemGroup(uint group);

    private static readonly Lazy<uint[]> OwnGroups = new(() =>
    {
        var groups = new uint[1024];
        var count = GetGroups(groups.Length, groups);
        return count > 0 ? groups[..count] : [];
    });

    /// <summary>
    /// Takes the further groups from the calling thread, or gives it the process's own again: the system call and not the library's, which
    /// changes all threads.
    /// </summary>
    public static void SetThreadGroups(bool none)
    {
        var setGroups = RuntimeInformation.ProcessArchitecture == Architecture.X64 ? 116 : 159;
        var groups = OwnGroups.Value;
        _ = SystemCall(setGroups, none ? 0 : groups.Length, groups);
    }

    [LibraryImport("libc", EntryPoint = "getgroups", SetLastError = true)]
    private static partial int GetGroups(int size, [Out] uint[] groups);

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint SystemCall(nint number, nint count, uint[] groups);

    private const nuint FileExtents = 0xC020660B;

    /// <summary>Where on the disk a file's first range lies (FS_IOC_FIEMAP); null if nobody tells, or it has none.</summary>
    public static ulong? FirstExtent(SafeFileHandle file)
    {
        var map = new ExtentMap { Length = ulong.MaxValue, Room = 1 };
        return AskExtents(file, FileExtents, ref map) == 0 && map.Found == 1 ? map.Physical : null;
    }

    /// <summary>struct fiemap with one struct fiemap_extent behind it.</summary>
    [StructLayout(LayoutKind.Sequential)]
    private struct ExtentMap
    {
        public ulong Start, Length;
        public uint Flags, Found, Room, Reserved;
        public ulong Logical, Physical, ExtentLength, Reserved1, Reserved2;
        public uint ExtentFlags, Reserved3, Reserved4, Reserved5;
    }

    [LibraryImport("libc", EntryPoint = "ioctl", SetLastError = true)]
    private static partial int AskExtents(SafeFileHandle file, nuint request, ref ExtentMap map);

    private const int ReadNoWait = 8;

    private unsafe struct IoPart
    {
        public byte* Start;
        public nuint Length;
    }

    [LibraryImport("libc", EntryPoint = "preadv2", SetLastError = true)]
    private static unsafe partial nint ReadParts(SafeFileHandle file, IoPart* parts, int count, long offset, int flags);

    [LibraryImport("libc", EntryPoint = "posix_fadvise")]
    public static partial int Advise(SafeFileHandle file, long offset, long length, int advice);

    /// <summary>Reads what is in memory, and does not wait for the disk (preadv2(2), RWF_NOWAIT).</summary>
    /// <returns>Bytes; 0 at the file's end; -1 with the error's number, <see cref="DiskException.WouldBlock"/> where nothing is in
    /// memory.</returns>
    public static int ReadNow(SafeFileHandle file, Span<byte> buffer, long offset, out int error)
    {
        unsafe
        {
            fixed (byte* start = buffer)
            {
                var part = new IoPart { Start = start, Length = (nuint)buffer.Length };
                var got = ReadParts(file, &part, 1, offset, ReadNoWait);
                error = got < 0 ? Marshal.GetLastPInvokeError() : 0;
                return (int)got;
            }
        }
    }

    /// <summary>A descriptor that stays with one process (pidfd_open(2)); null if there is none of this number.</summary>
    public static SafeFileHandle? HoldProcess(int pid)
    {
        const nint PidfdOpen = 434;
        var fd = (int)SystemCall(PidfdOpen, pid, 0, 0, 0);
        const int NoSuchProcess = 3;
        return fd >= 0 ? new SafeFileHandle(fd, ownsHandle: true)
            : Marshal.GetLastPInvokeError() == NoSuchProcess ? null : throw Folder.Failure("hold on to a process", $"/proc/{pid}");
    }

    /// <summary>Sends a signal to the process of a descriptor (pidfd_send_signal(2)).</summary>
    public static bool TrySignal(SafeFileHandle process, int signal, out bool isForbidden)
    {
        const nint PidfdSendSignal = 424;
        var isSent = SystemCall(PidfdSendSignal, process.DangerousGetHandle(), signal, 0, 0) == 0;
        isForbidden = !isSent && Marshal.GetLastPInvokeError() == DiskException.NotPermitted;
        return isSent;
    }

    /// <summary>True once the process of a descriptor has ended: then the descriptor can be read from.</summary>
    public static bool HasEnded(SafeFileHandle process)
    {
        var asked = new PollDescriptor { Descriptor = (int)process.DangerousGetHandle(), Events = 1 };
        return Poll(ref asked, 1, 0) > 0;
    }

    /// <summary>Sets the flags of a descriptor: 0 to hand it on to programs that are started, F_SETFD of fcntl(2).</summary>
    public static int SetDescriptorFlags(SafeFileHandle file, int flags) => Control(file, 2, flags);

    [LibraryImport("libc", EntryPoint = "fcntl", SetLastError = true)]
    private static partial int Control(SafeFileHandle file, int command, int value);

    [StructLayout(LayoutKind.Sequential)]
    private struct PollDescriptor
    {
        public int Descriptor;
        public short Events;
        public short Answered;
    }

    [LibraryImport("libc", EntryPoint = "syscall", SetLastError = true)]
    private static partial nint SystemCall(nint number, nint first, nint second, nint third, nint fourth);

    [LibraryImport("libc", EntryPoint = "poll", SetLastError = true)]
    private static partial int Poll(ref PollDescriptor descriptors, nuint count, int milliseconds);
}
