using System.Globalization;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>In which order a disk reads its files best.</summary>
internal static class DiskOrder
{
    /// <summary>True if a file system is on a disk that rotates, as the kernel tells (queue/rotational in sysfs).</summary>
    /// <param name="device">The file system, as a <see cref="Node"/> has it.</param>
    public static bool IsRotating(ulong device)
    {
        var link = string.Create(CultureInfo.InvariantCulture, $"/sys/dev/block/{device >> 32}:{(uint)device}");
        try
        {
            if (new DirectoryInfo(link).ResolveLinkTarget(returnFinalTarget: true) is not { } disk)
                return false;
            // A partition's disk is above it.
            var asked = new[] { disk.FullName, Path.GetDirectoryName(disk.FullName)! }.Select(d => Path.Join(d, "queue/rotational"))
                .FirstOrDefault(File.Exists);
            return asked is not null && File.ReadAllText(asked).Trim() == "1";
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return false;
        }
    }

    /// <summary>Where on the disk a file's first bytes lie; null if the file system does not say (FIEMAP).</summary>
    public static ulong? StartOf(SafeFileHandle file) => Native.FirstExtent(file);
}
