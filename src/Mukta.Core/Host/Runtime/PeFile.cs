using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Host.Runtime;

/// <summary>
/// What a PE program or library, made for another system and run through a compatibility layer, says that it needs (the
/// PE Format specification: headers, section table, import directory). Bounded like <see cref="ElfFile"/>.
/// </summary>
/// <param name="Machine">The processor: 0x8664 for x86-64, 0x14c for 32-bit x86, 0xaa64 for 64-bit ARM.</param>
/// <param name="Libraries">The libraries it imports from.</param>
[OutsideReader]
public sealed record PeFile(int Machine, IReadOnlyList<string> Libraries)
{
    private const int MostSections = 96, MostImports = 4096;
    private const ulong LongestName = 256;

    /// <summary>The processor and width in words.</summary>
    public string Architecture =>
        Machine switch { 0x8664 => "64-bit x86", 0x14c => "32-bit x86", 0xaa64 => "64-bit ARM", _ => $"processor {Machine:x}" };

    /// <summary>True if a file begins as a PE file does.</summary>
    public static bool IsPe(SafeFileHandle file)
    {
        Span<byte> magic = stackalloc byte[2];
        return RandomAccess.Read(file, magic, 0) == 2 && magic.SequenceEqual("MZ"u8);
    }

    /// <summary>Reads a file.</summary>
    /// <exception cref="FormatException">It could not be loaded; the message is the end of the sentence "the file is damaged:
    /// ...".</exception>
    public static PeFile Read(SafeFileHandle file)
    {
        var bytes = new ByteFile(file, isLittle: true);
        var head = bytes.U32(bytes.Bytes(0x3c, 4));
        var coff = bytes.Bytes(head, 24);
        if (!IsPe(file) || !coff.AsSpan(0, 4).SequenceEqual("PE\0\0"u8))
            throw new FormatException("it does not begin as a PE file does");
        var (machine, sectionCount, optionalSize) = (bytes.U16(coff.AsSpan(4)), bytes.U16(coff.AsSpan(6)), bytes.U16(coff.AsSpan(20)));
        var optional = bytes.Bytes(head + 24ul, optionalSize);
        if (sectionCount > MostSections || optional.Length < 96)
            throw new FormatException("its headers are impossible");
        var directories = bytes.U16(optional) == 0x20b ? 112 : 96;
        if (optional.Length < directories + 16 || bytes.U32(optional.AsSpan(directories - 4)) < 2)
            return new PeFile(machine, []);
        var sections = bytes.Bytes(head + 24ul + optionalSize, sectionCount * 40ul);
        var imports = bytes.U32(optional.AsSpan(directories + 8));
        return new PeFile(machine, imports == 0 ? [] : Imports(bytes, sections, imports));
    }

    private static List<string> Imports(ByteFile bytes, byte[] sections, uint address)
    {
        var names = new List<string>();
        for (var at = Place(bytes, sections, address); ; at += 20)
        {
            var entry = bytes.Bytes(at, 20);
            if (bytes.U32(entry.AsSpan(12)) == 0)
                return names;
            var nameAt = Place(bytes, sections, bytes.U32(entry.AsSpan(12)));
            names.Add(Name(bytes, nameAt));
            if (names.Count > MostImports)
                throw new FormatException("it imports more than is possible");
        }
    }

    private static string Name(ByteFile bytes, ulong at)
    {
        for (var length = LongestName; length > 0; length /= 2)
        {
            try
            {
                return ByteFile.Name(bytes.Bytes(at, length), 0);
            }
            catch (FormatException) when (length > 1)
            {
                // Near the end of the file: a shorter look may still hold it.
            }
        }

        throw new FormatException("a name has no end");
    }

    /// <summary>The place in the file of an address in memory: by the section that it lies in.</summary>
    private static ulong Place(ByteFile bytes, byte[] sections, uint address)
    {
        for (var at = 0; at < sections.Length; at += 40)
        {
            var section = sections.AsSpan(at);
            var (start, length, offset) =
                (bytes.U32(section[12..]), Math.Max(bytes.U32(section[8..]), bytes.U32(section[16..])), bytes.U32(section[20..]));
            if (address >= start && address - start < length)
                return (ulong)offset + (address - start);
        }

        throw new FormatException("an address lies in none of its sections");
    }
}
