using System.Runtime.InteropServices;

namespace Mukta.Disk;

/// <summary>The operating system refused a call on a file or folder.</summary>
/// <param name="errno">The system's error number, as in errno(3).</param>
/// <param name="doing">What was tried, such as "open" or "rename".</param>
/// <param name="path">The file or folder.</param>
public sealed class DiskException(int errno, string doing, string path)
    : MuktaException(ExitCode.Blocked, $"Cannot {doing}: {Marshal.GetPInvokeErrorMessage(errno)}.", PathBytes.Shown(path), Advice(errno))
{
    /// <summary>Numbers of errno(3) that are asked for by name.</summary>
    public const int NotPermitted = 1, NoEntry = 2, InputOutput = 5, AccessDenied = 13, Exists = 17, OtherDevice = 18, NotDirectory = 20,
        TooManyOpen = 24, NoSpace = 28, ReadOnlyFileSystem = 30, TooManyLinks = 31, NameTooLong = 36, NotImplemented = 38,
        NotEmpty = 39, LinkLoop = 40, NotSupported = 95, QuotaExceeded = 122, WouldBlock = 11, Stale = 116, InvalidValue = 22,
        FileTooBig = 27;

    /// <summary>The system's error number.</summary>
    public int Errno { get; } = errno;

    /// <summary>What the system says of the error, in a few words.</summary>
    public string Reason => Marshal.GetPInvokeErrorMessage(Errno);

    /// <summary>True if nothing is at the path, or a folder on its way is none.</summary>
    public bool IsAbsent => Errno is NoEntry or NotDirectory;

    private static string Advice(int errno) => errno switch
    {
        NotPermitted or AccessDenied when Environment.IsPrivilegedProcess =>
        "Not even root may: look for flags with lsattr, for a read-only mount with findmnt, and whether a security module forbids it.",
        NotPermitted or AccessDenied => "Run the same command as the user who owns the folder, or with sudo.",
        NoSpace or QuotaExceeded => "Make room on this disk, then run the same command again.",
        ReadOnlyFileSystem =>
        "The disk is mounted read-only: check the system's log for disk errors, remount it, then run the same command again.",
        InputOutput => "The disk itself fails to read or write: copy what matters off it and check the system's log.",
        FileTooBig => "Is it the right file? If it is, check the limits of the disk and of the user (ulimit -f).",
        LinkLoop => "A link is in a folder's place. Run mukta verify to see which.",
        TooManyOpen => "Raise the limit of open files (ulimit -n), then run the same command again.",
        NoEntry or NotDirectory => "Check the path, then run the same command again.",
        _ => "Check the path with ls -la, correct what is in the way, then run the same command again.",
    };
}
