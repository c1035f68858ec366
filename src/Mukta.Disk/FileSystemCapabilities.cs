namespace Mukta.Disk;

/// <summary>What the file system under a folder can hold and do.</summary>
/// <param name="KeepsModes">It keeps each file's permission bits.</param>
/// <param name="MakesLinks">It knows symbolic links.</param>
/// <param name="TellsCaseApart">Two names may differ only by letter case.</param>
/// <param name="LongestFile">Bytes of the longest file; null if no limit is known.</param>
public sealed record FileSystemCapabilities(bool KeepsModes, bool MakesLinks, bool TellsCaseApart, long? LongestFile)
{
    private static readonly string[] OfLinux = ["ext4", "xfs", "btrfs", "tmpfs", "f2fs", "bcachefs"];
    private static readonly string[] WithoutChangeTime =
        ["vfat", "msdos", "exfat", "ntfs", "fuseblk", "iso9660", "udf", "hfs", "hfsplus", "9p", "cifs", "smb3", "vboxsf"];

    private const string ForbiddenElsewhere = "\"*:<>?|";

    private static readonly string[] WithoutModes = ["vfat", "msdos", "exfat", "ntfs", "ntfs3", "fuseblk", "iso9660", "udf"];

    /// <summary>True if a copy of a file shares its bytes until one of them changes (FICLONE in ioctl_ficlone(2)).</summary>
    public bool SharesBytes { get; init; }

    /// <summary>
    /// True for one of Linux's own: its clock ticks in milliseconds at most, and flushing all of it at once (syncfs(2)) does what it says.
    /// </summary>
    public bool IsOfLinux { get; init; }

    /// <summary>
    /// True if a file has a time of change that nobody can set (the ctime of inode(7)). Where there is none the kernel shows the time of
    /// modification in its place, and what was changed and dated back looks untouched.
    /// </summary>
    public bool KeepsChangeTime { get; init; } = true;

    /// <summary>Characters that no name may have beside those that none has on Linux; none for most file systems.</summary>
    public string Forbidden { get; init; } = "";

    /// <summary>True if it can hold a name; one of another system may forbid characters, and a dot or a space at the end.</summary>
    public bool Holds(string name) => Forbidden.Length == 0 || !IsForeign(name);

    /// <summary>True for a name that file systems of other systems do not hold.</summary>
    public static bool IsForeign(string name) =>
        name.Any(c => ForbiddenElsewhere.Contains(c, StringComparison.Ordinal)) || name is [.., '.' or ' '];

    /// <summary>True if a file takes only as much room as was written to it.</summary>
    public bool LeavesHoles { get; init; } = KeepsModes;

    /// <summary>What the file system under a path can do.</summary>
    public static FileSystemCapabilities Of(string path) => OfType(Mount.Of(path)?.Type);

    /// <summary>What is known of a type of file system, by the kernel's name for it.</summary>
    public static FileSystemCapabilities OfType(string? type) => type switch
    {
        "vfat" or "msdos" => new(false, false, false, uint.MaxValue) { KeepsChangeTime = false, Forbidden = ForbiddenElsewhere },
        "exfat" => new(false, false, false, null) { KeepsChangeTime = false, Forbidden = ForbiddenElsewhere },
        _ => new(!WithoutModes.Contains(type), true, true, null)
        {
            SharesBytes = type is "btrfs" or "xfs" or "bcachefs",
            IsOfLinux = OfLinux.Contains(type),
            KeepsChangeTime = !WithoutChangeTime.Contains(type) && type?.StartsWith("fuse", StringComparison.Ordinal) != true,
        },
    };

    /// <summary>The file system's own number (f_fsid in statfs(2)), which most keep from one mount to the next; 0 if it has none.</summary>
    public static ulong NumberOf(string path) =>
        Native.FileSystemStatus(PathBytes.Encode(path), out var status) == 0 ? status.FileSystemNumber : 0;

    /// <summary>Tries it out in a folder, and leaves nothing behind.</summary>
    /// <param name="folder">What the path is below.</param>
    /// <param name="path">A folder that this may write to.</param>
    /// <exception cref="DiskException">Nothing can be made in the folder.</exception>
    public FileSystemCapabilities TriedIn(Folder folder, string path)
    {
        var (file, link, foreign) = ($"{path}/Probe", $"{path}/probe-link", $"{path}/probe:");
        foreach (var old in new[] { file, link, foreign }.Where(p => folder.Look(p) is not null))
            folder.RemoveFile(old);
        folder.CreateFile(file, 0b110_000_000).Dispose();
        var tellsApart = folder.Look($"{path}/pROBE") is null;
        var keeps = Try(() => folder.SetMode(file, 0b111_101_001)) && folder.Look(file)!.Value.Mode == 0b111_101_001;
        var links = Try(() => folder.MakeLink(link, "Probe"));
        if (links)
            folder.RemoveFile(link);
        folder.RemoveFile(file);
        var holds = Try(() => folder.CreateFile(foreign, 0b110_000_000).Dispose());
        if (holds)
            folder.RemoveFile(foreign);
        return this with
        {
            KeepsModes = keeps && KeepsModes,
            MakesLinks = links,
            TellsCaseApart = tellsApart,
            Forbidden = holds ? "" : ForbiddenElsewhere,
        };
    }

    private static bool Try(Action act)
    {
        try
        {
            act();
            return true;
        }
        catch (DiskException e) when (e.Errno is DiskException.NotPermitted or DiskException.NotSupported or DiskException.NotImplemented
            or DiskException.InvalidValue)
        {
            return false;
        }
    }
}
