using System.Buffers.Binary;
using System.Text;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Host.Runtime;

/// <summary>
/// A file of numbers and names at given places, hostile until proven: every read is within the file and of a bounded length.
/// </summary>
/// <param name="file">The file.</param>
/// <param name="isLittle">True for the least significant byte first.</param>
internal sealed class ByteFile(SafeFileHandle file, bool isLittle)
{
    private const int LongestRead = 16 << 20, LongestName = 4096;
    private readonly long length = RandomAccess.GetLength(file);

    /// <summary>Bytes at a place.</summary>
    /// <exception cref="FormatException">They are not all in the file, or too many.</exception>
    public byte[] Bytes(ulong offset, ulong count)
    {
        if (count > LongestRead || offset > (ulong)length || count > (ulong)length - offset)
            throw new FormatException("it points beyond its own end");
        var bytes = new byte[count];
        var read = 0;
        while (read < bytes.Length)
        {
            var got = RandomAccess.Read(file, bytes.AsSpan(read), (long)offset + read);
            read += got > 0 ? got : throw new FormatException("it ended while it was read");
        }

        return bytes;
    }

    public ushort U16(ReadOnlySpan<byte> at) =>
        isLittle ? BinaryPrimitives.ReadUInt16LittleEndian(at) : BinaryPrimitives.ReadUInt16BigEndian(at);

    public uint U32(ReadOnlySpan<byte> at) =>
        isLittle ? BinaryPrimitives.ReadUInt32LittleEndian(at) : BinaryPrimitives.ReadUInt32BigEndian(at);

    public ulong U64(ReadOnlySpan<byte> at) =>
        isLittle ? BinaryPrimitives.ReadUInt64LittleEndian(at) : BinaryPrimitives.ReadUInt64BigEndian(at);

    /// <summary>A name in a table, ended by NUL.</summary>
    /// <exception cref="FormatException">It does not begin or end in the table.</exception>
    public static string Name(ReadOnlySpan<byte> table, ulong at)
    {
        if (at >= (ulong)table.Length || table[(int)at..].IndexOf((byte)0) is var end && end is < 0 or > LongestName)
            throw new FormatException("a name lies beyond the end of its table, or is longer than any");
        return Encoding.Latin1.GetString(table.Slice((int)at, end));
    }
}
