using System.Globalization;

namespace Mukta.Disk;

/// <summary>What the file system under a path can do, as the kernel's mount table says.</summary>
public static class FileSystemFacts
{
    private static readonly string[] WithoutModes = ["vfat", "msdos", "exfat", "ntfs", "ntfs3", "fuseblk", "iso9660", "udf"];

    /// <summary>True where the file system keeps each file's permission bits.</summary>
    public static bool KeepsModes(string path) => !WithoutModes.Contains(TypeOf(path));

    /// <summary>Bytes that may still be written by this user.</summary>
    public static long FreeBytes(string path) => new DriveInfo(Path.GetFullPath(path)).AvailableFreeSpace;

    private static string TypeOf(string path)
    {
        var full = Path.GetFullPath(path);
        if (new FileInfo(full).ResolveLinkTarget(returnFinalTarget: true) is { } target)
            full = target.FullName;
        var (best, type) = ("", "");
        foreach (var line in File.ReadLines("/proc/self/mounts"))
        {
            var fields = line.Split(' ');
            if (fields.Length < 3)
                continue;
            var mount = Unescaped(fields[1]);
            if (mount.Length >= best.Length && (full == mount || full.StartsWith(mount.TrimEnd('/') + "/", StringComparison.Ordinal)))
                (best, type) = (mount, fields[2]);
        }

        return type;
    }

    /// <summary>Undoes the octal escapes of the mount table (proc_mounts in proc(5)).</summary>
    private static string Unescaped(string field)
    {
        for (var at = field.IndexOf('\\', StringComparison.Ordinal); at >= 0 && at + 3 < field.Length; at = field.IndexOf('\\', at + 1))
        {
            if (int.TryParse(field.AsSpan(at + 1, 3), NumberStyles.None, CultureInfo.InvariantCulture, out _))
                field = field[..at] + (char)Convert.ToInt32(field.Substring(at + 1, 3), 8) + field[(at + 4)..];
        }

        return field;
    }
}
