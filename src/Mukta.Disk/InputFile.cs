using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// Marks what takes bytes from outside apart: a file that somebody else wrote, or an answer from the network. Such a reader has a bound,
/// ends in one of its own failures whatever it is given, and is fuzzed: a test looks for all of them.
/// </summary>
[AttributeUsage(AttributeTargets.Class)]
public sealed class OutsideReaderAttribute : Attribute;

/// <summary>
/// Opens files that somebody named or that lie in folders of others. Only regular files are read: a pipe would be waited for, and a
/// device may never end.
/// </summary>
public static class InputFile
{
    /// <summary>For files of which only bounded parts are read.</summary>
    public const long AnyLength = long.MaxValue;

    /// <summary>Opens a file; links on the way are followed.</summary>
    /// <param name="path">The file.</param>
    /// <param name="most">The longest that is read, in bytes.</param>
    /// <exception cref="DiskException">There is none, it is not a regular file or too long, or it may not be read.</exception>
    public static FileStream Open(string path, long most)
    {
        var fd = Native.OpenAt(Native.AtFdCwd, PathBytes.Encode(path), Native.ReadOnly | Native.NonBlock | Native.CloseOnExec, 0);
        if (fd < 0)
            throw Folder.Failure("open", path);
        var file = new SafeFileHandle(fd, ownsHandle: true);
        if (Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0
            && Node.From(found).Kind == NodeKind.File && (long)found.Size <= most)
            return new FileStream(file, FileAccess.Read, 1 << 16);
        file.Dispose();
        throw Folder.Failure("read as a file", path, (long)found.Size > most ? DiskException.FileTooBig : DiskException.InvalidValue);
    }

    /// <summary>Leaves a file open, under its number, in every program that is started from now on.</summary>
    /// <exception cref="DiskException">The system refused.</exception>
    public static void ShareWithPrograms(SafeFileHandle file)
    {
        if (Native.SetDescriptorFlags(file, 0) != 0)
            throw Folder.Failure("hand on", $"/proc/self/fd/{file.DangerousGetHandle()}");
    }
}
