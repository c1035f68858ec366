using System.Globalization;

namespace Mukta.Disk;

/// <summary>A line of the kernel's mount table (proc_pid_mountinfo(5)).</summary>
/// <param name="Point">Where it is mounted.</param>
/// <param name="Type">The file system's type.</param>
/// <param name="Options">Its options, of the mount and of the file system.</param>
public sealed record Mount(string Point, string Type, IReadOnlyList<string> Options)
{
    private static readonly string[] OfTheKernel =
    [
        "autofs", "binfmt_misc", "bpf", "cgroup", "cgroup2", "configfs", "debugfs", "devpts", "devtmpfs", "efivarfs", "fusectl",
        "hugetlbfs", "mqueue", "nsfs", "proc", "pstore", "rpc_pipefs",
        "securityfs", "selinuxfs", "sysfs", "tracefs",
    ];

    /// <summary>True if nothing can be written.</summary>
    public bool IsReadOnly => Options.Contains("ro");

    /// <summary>True if no program can be started.</summary>
    public bool ForbidsPrograms => Options.Contains("noexec");

    /// <summary>True for what the kernel shows of itself: no disk stands behind it.</summary>
    public bool IsOfTheKernel => OfTheKernel.Contains(Type);

    /// <summary>The mount that a path is on, with its links followed; null if the table does not say.</summary>
    public static Mount? Of(string path)
    {
        var full = Path.GetFullPath(path);
        if (new FileInfo(full).ResolveLinkTarget(returnFinalTarget: true) is { } target)
            full = target.FullName;
        return Of(full, Table());
    }

    /// <summary>The mount that a real path is on. Of several at one place the last hides the others.</summary>
    public static Mount? Of(string realPath, IEnumerable<Mount> table) => table.LastOrDefault(
        m => m.Point.Length == table.Where(o => Holds(o, realPath)).Select(o => o.Point.Length).DefaultIfEmpty(-1).Max()
        && Holds(m, realPath));

    /// <summary>All mounts of this machine.</summary>
    public static IReadOnlyList<Mount> Table() => [.. File.ReadLines("/proc/self/mountinfo").Select(Parse).OfType<Mount>()];

    /// <summary>
    /// Reads a line: number, parent, device, root, mount point, options, optional fields, a hyphen, type, source, options of the file
    /// system.
    /// </summary>
    public static Mount? Parse(string line)
    {
        var fields = line.Split(' ');
        var hyphen = Array.IndexOf(fields, "-", Math.Min(6, fields.Length));
        return hyphen > 0 && fields.Length > hyphen + 3
            ? new Mount(Unescaped(fields[4]), fields[hyphen + 1], [.. fields[5].Split(','), .. fields[hyphen + 3].Split(',')])
            : null;
    }

    private static bool Holds(Mount mount, string path) =>
        path == mount.Point || path.StartsWith(mount.Point.TrimEnd('/') + "/", StringComparison.Ordinal);

    /// <summary>Undoes the octal escapes of the mount table.</summary>
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
