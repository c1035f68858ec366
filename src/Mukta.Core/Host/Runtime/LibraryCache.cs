using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Host.Runtime;

/// <summary>
/// The loader's own index, <c>/etc/ld.so.cache</c>, as the GNU C library writes it since version 2.2 (header
/// "glibc-ld.so.cache1.1", possibly behind the older kind). Bounded: an impossible one counts as empty.
/// </summary>
[OutsideReader]
internal static class LibraryCache
{
    private const int MostEntries = 1 << 16, HeaderLength = 48, EntryLength = 24, OldHeaderLength = 16, OldEntryLength = 12;

    /// <summary>The paths of libraries by their names, in the loader's order.</summary>
    public static ILookup<string, string> Read(SafeFileHandle file)
    {
        try
        {
            var bytes = new ByteFile(file, BitConverter.IsLittleEndian);
            var start = StartOf(bytes);
            var head = bytes.Bytes(start, HeaderLength);
            var count = bytes.U32(head.AsSpan(20));
            if (!head.AsSpan(0, 20).SequenceEqual("glibc-ld.so.cache1.1"u8) || count > MostEntries)
                throw new FormatException("unknown kind of cache");
            var whole = bytes.Bytes(start, (ulong)RandomAccess.GetLength(file) - start);
            return Enumerable.Range(0, (int)count).Select(i => whole.AsMemory(HeaderLength + (i * EntryLength), EntryLength))
                .Select(e => (Name: ByteFile.Name(whole, bytes.U32(e.Span[4..])), Path: ByteFile.Name(whole, bytes.U32(e.Span[8..]))))
                .ToLookup(e => e.Name, e => e.Path, StringComparer.Ordinal);
        }
        catch (Exception e) when (e is FormatException or ArgumentOutOfRangeException)
        {
            return Array.Empty<string>().ToLookup(p => p);
        }
    }

    /// <summary>The older kind is "ld.so-1.7.0", a count and its entries; the newer one follows at the next multiple of 8.</summary>
    private static ulong StartOf(ByteFile bytes)
    {
        var head = bytes.Bytes(0, OldHeaderLength);
        if (!head.AsSpan(0, 11).SequenceEqual("ld.so-1.7.0"u8))
            return 0;
        var end = OldHeaderLength + ((ulong)bytes.U32(head.AsSpan(12)) * OldEntryLength);
        return (end + 7) & ~7ul;
    }
}
