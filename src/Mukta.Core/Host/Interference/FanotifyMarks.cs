using System.Globalization;
using Mukta.Disk;

namespace Mukta.Host.Interference;

/// <summary>The place of an install, as the kernel names it where it shows who watches what.</summary>
/// <param name="MountId">Its mount (statx(2)).</param>
/// <param name="Device">The device of its file system, as the kernel keeps it: the major number above 20 bits of the minor one.</param>
/// <param name="Inode">Its own number there.</param>
internal sealed record WatchedPlace(ulong MountId, ulong Device, ulong Inode)
{
    /// <summary>The place of an open folder.</summary>
    public static WatchedPlace Of(Folder folder)
    {
        var node = folder.Look(".")!.Value;
        return new WatchedPlace(node.MountId, ((node.Device >> 32) << 20) | (node.Device & 0xFFFFF), node.Inode);
    }
}

/// <summary>Reads what an fanotify group watches, from the lines of its open file (proc_pid_fdinfo(5)).</summary>
internal static class FanotifyMarks
{
    /// <summary>What the link of such an open file points to.</summary>
    public const string OpenFile = "anon_inode:[fanotify]";

    private const uint Permission = 0x10000 | 0x20000 | 0x40000; // FAN_OPEN_PERM, FAN_ACCESS_PERM, FAN_OPEN_EXEC_PERM: fanotify_mark(2).

    /// <summary>Whether a place is watched, and whether the kernel waits for the watcher's permission; null if it is not watched.</summary>
    public static bool? MayRefuse(IEnumerable<string> lines, WatchedPlace place)
    {
        bool? found = null;
        foreach (var line in lines.Where(l => l.StartsWith("fanotify ", StringComparison.Ordinal)))
        {
            var fields = line.Split(' ').Select(f => f.Split(':', 2)).Where(f => f.Length == 2).DistinctBy(f => f[0])
                .ToDictionary(f => f[0], f => Hex(f[1]), StringComparer.Ordinal);
            if (fields.GetValueOrDefault("mask") is { } mask && Covers(fields, place))
                found = found == true || (mask & Permission) != 0;
        }

        return found;
    }

    private static bool Covers(Dictionary<string, ulong?> fields, WatchedPlace place) =>
        fields.TryGetValue("mnt_id", out var mount) ? mount == place.MountId && place.MountId != 0
        : fields.TryGetValue("sdev", out var device) && device == place.Device
        && (!fields.TryGetValue("ino", out var inode) || inode == place.Inode);

    private static ulong? Hex(string text) =>
        ulong.TryParse(text, NumberStyles.HexNumber, CultureInfo.InvariantCulture, out var number) ? number : null;
}
