using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// Opens files that somebody named or that lie in folders of others. Only regular files are read: a pipe would be waited for, and a
/// device may never end.
/// </summary>
public static class InputFile
{
    /// <summary>Opens a file; links on the way are followed.</summary>
    /// <exception cref="DiskException">There is none, it is no regular file, or it may not be read.</exception>
    public static FileStream Open(string path)
    {
        var fd = Native.OpenAt(Native.AtFdCwd, PathBytes.Encode(path), Native.ReadOnly | Native.NonBlock | Native.CloseOnExec, 0);
        if (fd < 0)
            throw Folder.Failure("open", path);
        var file = new SafeFileHandle(fd, ownsHandle: true);
        if (Native.StatxAt(file, PathBytes.Encode(""), Native.AtEmptyPath, Native.StatxBasic, out var found) == 0
            && Node.From(found).Kind == NodeKind.File)
            return new FileStream(file, FileAccess.Read, 1 << 16);
        file.Dispose();
        throw Folder.Failure("read as a file", path, DiskException.InvalidValue);
    }
}
