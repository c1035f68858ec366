using System.Buffers;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>Moves bytes between open files, and says what went wrong as the rest of <see cref="Folder"/> does.</summary>
internal static class FileBytes
{
    /// <summary>Copies a range. What lies beyond the source's end is left out.</summary>
    public static void Copy(SafeFileHandle from, long offset, SafeFileHandle to, long at, long length)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(1 << 20);
        try
        {
            for (var done = 0L; done < length;)
            {
                var got = RandomAccess.Read(from, buffer.AsSpan(0, (int)Math.Min(buffer.Length, length - done)), offset + done);
                if (got == 0)
                    return;
                Write(to, buffer.AsSpan(0, got), at + done, "a file");
                done += got;
            }
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>Writes bytes.</summary>
    /// <exception cref="DiskException">The disk is full, or fails.</exception>
    public static void Write(SafeFileHandle file, ReadOnlySpan<byte> bytes, long offset, string shown)
    {
        try
        {
            RandomAccess.Write(file, bytes, offset);
        }
        catch (IOException e)
        {
            throw new DiskException(e.HResult, "write", shown);
        }
    }

    /// <summary>Makes a file so long.</summary>
    /// <exception cref="DiskException">The disk is full, or fails.</exception>
    public static void SetLength(SafeFileHandle file, long length, string shown)
    {
        try
        {
            RandomAccess.SetLength(file, length);
        }
        catch (IOException e)
        {
            throw new DiskException(e.HResult, "make room for", shown);
        }
    }

    /// <summary>
    /// Sees to it that a file's bytes outlast a loss of power. Bytes that could not be written still stand in memory and are
    /// taken for written: they are dropped there, so that whoever reads the file next sees what is on the disk.
    /// </summary>
    /// <exception cref="DiskException">They cannot be written.</exception>
    public static void Flush(SafeFileHandle file, string shown)
    {
        if (Native.Sync(file) == 0)
            return;
        var failure = Folder.Failure("flush", shown);
        _ = Native.Advise(file, 0, 0, Native.AdviseDontNeed);
        throw failure;
    }
}
