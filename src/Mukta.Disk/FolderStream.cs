using System.Buffers;
using System.Buffers.Binary;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>Goes through the names in a folder as the kernel hands them out, without keeping them: millions cost no memory.</summary>
public static class FolderStream
{
    private const int EntryHeader = 19; // linux_dirent64: inode 8, offset 8, record length 2, type 1, then the name ended by NUL.
    private const int BufferLength = 64 * 1024;

    /// <summary>What a name may stand for as far as the folder tells (d_type in readdir(3)).</summary>
    public const byte OfFolder = 4, OfFile = 8, Untold = 0;

    /// <summary>What is done with a name.</summary>
    /// <param name="name">Its bytes, ended by NUL, good only for the time of the call.</param>
    /// <param name="type">What it stands for; <see cref="Untold"/> if the file system does not say.</param>
    public delegate void Visit(ReadOnlySpan<byte> name, byte type);

    /// <summary>Looks at what has a name, and follows no link; null if nothing has it, or it may not be examined.</summary>
    /// <param name="folder">The folder.</param>
    /// <param name="name">The name as <see cref="Visit"/> is given it.</param>
    public static Node? Look(SafeFileHandle folder, ReadOnlySpan<byte> name) =>
        Native.StatxAt(folder, name, Native.AtSymlinkNoFollow, Native.StatxBasic, out var found) == 0 ? Node.From(found) : null;

    /// <summary>Opens a folder in a folder to list it, and follows no link; null if it may not be entered, or is gone.</summary>
    /// <param name="folder">The folder.</param>
    /// <param name="name">The name as <see cref="Visit"/> is given it.</param>
    public static SafeFileHandle? Open(SafeFileHandle folder, ReadOnlySpan<byte> name)
    {
        var fd = Native.OpenAt(folder, name, Native.ReadOnly | Native.Directory | Native.NoFollow | Native.CloseOnExec, 0);
        return fd < 0 ? null : new SafeFileHandle(fd, ownsHandle: true);
    }

    /// <summary>Visits each name but <c>.</c> and <c>..</c>, once.</summary>
    /// <exception cref="DiskException">The folder cannot be listed.</exception>
    public static void Each(SafeFileHandle folder, string shown, Visit visit)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(BufferLength);
        try
        {
            while (true)
            {
                var length = (int)Native.ReadEntries(folder, buffer, buffer.Length);
                if (length < 0)
                    throw Folder.Failure("list", shown);
                if (length == 0)
                    return;
                for (var at = 0; at < length;)
                {
                    var entry = buffer.AsSpan(at);
                    var size = BinaryPrimitives.ReadUInt16LittleEndian(entry[16..]);
                    var name = entry[EntryHeader..size];
                    name = name[..(name.IndexOf((byte)0) + 1)];
                    if (!name.SequenceEqual(".\0"u8) && !name.SequenceEqual("..\0"u8))
                        visit(name, entry[18]);
                    at += size;
                }
            }
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }
}
