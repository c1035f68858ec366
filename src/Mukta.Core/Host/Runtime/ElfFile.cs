using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Host.Runtime;

/// <summary>A version of a library that a program was linked against.</summary>
/// <param name="Library">The library's name.</param>
/// <param name="Version">The version, such as GLIBC_2.38.</param>
/// <param name="IsWeak">True if the program runs without it too.</param>
public sealed record VersionNeed(string Library, string Version, bool IsWeak);

/// <summary>
/// What an ELF program or library says of itself to the dynamic loader (System V ABI, generic part; versions: the Linux
/// Standard Base, "Symbol Versioning"). Offsets, counts and lengths are bounded: a hostile file is refused.
/// </summary>
[OutsideReader]
public sealed record ElfFile
{
    private const int DynamicSegment = 2, LoadSegment = 1, InterpreterSegment = 3;
    private const ulong Needed = 1, StringTable = 5, StringSize = 10, SoNameTag = 14, RPathTag = 15, RunPathTag = 29, Flags1 = 0x6ffffffb;
    private const ulong VersionsDefinedTag = 0x6ffffffc, VersionsDefinedCount = 0x6ffffffd, VersionsNeededTag = 0x6ffffffe,
        VersionsNeededCount = 0x6fffffff;
    private const int MostSegments = 512, MostDynamic = 1 << 16, MostVersions = 1 << 14;

    /// <summary>True for 64-bit, false for 32-bit.</summary>
    public required bool Is64 { get; init; }

    /// <summary>The processor: 62 for x86-64, 3 for 32-bit x86, 183 for 64-bit ARM (e_machine).</summary>
    public required int Machine { get; init; }

    /// <summary>The loader that it asks for; null for a library or a static program.</summary>
    public string? Interpreter { get; private set; }

    /// <summary>Its own name as a library.</summary>
    public string? SoName { get; private set; }

    /// <summary>The libraries it needs, in order.</summary>
    public IReadOnlyList<string> Libraries { get; private set; } = [];

    /// <summary>Folders to look in, the older kind (DT_RPATH).</summary>
    public IReadOnlyList<string> RPath { get; private set; } = [];

    /// <summary>Folders to look in, the newer kind (DT_RUNPATH).</summary>
    public IReadOnlyList<string> RunPath { get; private set; } = [];

    /// <summary>True if the cache and the usual folders are not to be used (DF_1_NODEFLIB).</summary>
    public bool WithoutUsualFolders { get; private set; }

    /// <summary>The versions it needs of libraries.</summary>
    public IReadOnlyList<VersionNeed> VersionsNeeded { get; private set; } = [];

    /// <summary>The versions it defines.</summary>
    public IReadOnlySet<string> VersionsDefined { get; private set; } = new HashSet<string>();

    /// <summary>The processor and width in words.</summary>
    public string Architecture => (Machine, Is64) switch
    {
        (62, true) => "64-bit x86",
        (62, false) => "x32",
        (3, _) => "32-bit x86",
        (183, _) => "64-bit ARM",
        (40, _) => "32-bit ARM",
        (243, true) => "64-bit RISC-V",
        _ => $"{(Is64 ? 64 : 32)}-bit, processor {Machine}",
    };

    /// <summary>True if a program of the other's kind can load this.</summary>
    public bool Fits(ElfFile other) => (Is64, Machine) == (other.Is64, other.Machine);

    /// <summary>True if a file begins as an ELF file does.</summary>
    public static bool IsElf(SafeFileHandle file)
    {
        Span<byte> magic = stackalloc byte[4];
        return RandomAccess.Read(file, magic, 0) == 4 && magic.SequenceEqual("\u007fELF"u8);
    }

    /// <summary>Reads a file.</summary>
    /// <exception cref="FormatException">It could not be loaded; the message is the end of the sentence "the file is damaged:
    /// ...".</exception>
    public static ElfFile Read(SafeFileHandle file)
    {
        var start = new ByteFile(file, true).Bytes(0, 16);
        if (!IsElf(file) || start[4] is not (1 or 2) || start[5] is not (1 or 2))
            throw new FormatException("it does not begin as an ELF file does");
        var (is64, bytes) = (start[4] == 2, new ByteFile(file, start[5] == 1));
        var head = bytes.Bytes(0, is64 ? 64ul : 52ul);
        var elf = new ElfFile { Is64 = is64, Machine = bytes.U16(head.AsSpan(18)) };
        elf.ReadSegments(
            bytes, is64 ? bytes.U64(head.AsSpan(32)) : bytes.U32(head.AsSpan(28)), bytes.U16(head.AsSpan(is64 ? 54 : 42)),
            bytes.U16(head.AsSpan(is64 ? 56 : 44)));
        return elf;
    }

    private sealed record Segment(int Type, ulong Offset, ulong Address, ulong Length);

    private void ReadSegments(ByteFile bytes, ulong offset, int size, int count)
    {
        if (count > MostSegments || (count > 0 && size < (Is64 ? 56 : 32)))
            throw new FormatException("its table of segments is impossible");
        var segments = new List<Segment>();
        for (var i = 0; i < count; i++)
        {
            var entry = bytes.Bytes(checked(offset + ((ulong)i * (ulong)size)), Is64 ? 56ul : 32ul);
            segments.Add(Is64
                ? new Segment((int)bytes.U32(entry), bytes.U64(entry.AsSpan(8)), bytes.U64(entry.AsSpan(16)), bytes.U64(entry.AsSpan(32)))
                : new Segment((int)bytes.U32(entry), bytes.U32(entry.AsSpan(4)), bytes.U32(entry.AsSpan(8)), bytes.U32(entry.AsSpan(16))));
        }

        if (segments.Find(s => s.Type == InterpreterSegment) is { Length: < 4096 } interpreter)
            Interpreter = ByteFile.Name(bytes.Bytes(interpreter.Offset, interpreter.Length), 0);
        if (segments.Find(s => s.Type == DynamicSegment) is { } dynamic)
            ReadDynamic(bytes, dynamic, [.. segments.Where(s => s.Type == LoadSegment)]);
    }

    private void ReadDynamic(ByteFile bytes, Segment dynamic, IReadOnlyList<Segment> loads)
    {
        var width = Is64 ? 8 : 4;
        var table = bytes.Bytes(dynamic.Offset, Math.Min(dynamic.Length, MostDynamic * 16ul));
        ulong Word(int at) => Is64 ? bytes.U64(table.AsSpan(at)) : bytes.U32(table.AsSpan(at));
        var entries = new List<(ulong Tag, ulong Value)>();
        for (var at = 0; at + (2 * width) <= table.Length && Word(at) != 0; at += 2 * width)
            entries.Add((Word(at), Word(at + width)));
        ulong? Value(ulong tag) => entries.Where(e => e.Tag == tag).Select(e => (ulong?)e.Value).LastOrDefault();
        ulong Place(ulong address) => loads.FirstOrDefault(l => address >= l.Address && address - l.Address < l.Length) is { } load
            ? address - load.Address + load.Offset
            : throw new FormatException("an address lies in none of its segments");

        if (Value(StringTable) is not { } strings)
            return;
        var names = bytes.Bytes(Place(strings), Value(StringSize) ?? 0);
        string? Text(ulong tag) => Value(tag) is { } at ? ByteFile.Name(names, at) : null;
        Libraries = [.. entries.Where(e => e.Tag == Needed).Select(e => ByteFile.Name(names, e.Value))];
        SoName = Text(SoNameTag);
        RPath = Text(RPathTag)?.Split(':', StringSplitOptions.RemoveEmptyEntries) ?? [];
        RunPath = Text(RunPathTag)?.Split(':', StringSplitOptions.RemoveEmptyEntries) ?? [];
        WithoutUsualFolders = ((Value(Flags1) ?? 0) & 0x800) != 0;
        if (Value(VersionsNeededTag) is { } needed)
            VersionsNeeded = ReadNeeded(bytes, names, Place(needed), Value(VersionsNeededCount) ?? 0);
        if (Value(VersionsDefinedTag) is { } defined)
            VersionsDefined = ReadDefined(bytes, names, Place(defined), Value(VersionsDefinedCount) ?? 0);
    }

    /// <summary>Elf_Verneed: version 2, count 2, file 4, aux 4, next 4; Elf_Vernaux: hash 4, flags 2, other 2, name 4, next 4.</summary>
    private static List<VersionNeed> ReadNeeded(ByteFile bytes, byte[] names, ulong at, ulong count)
    {
        var needs = new List<VersionNeed>();
        for (var i = 0ul; i < Bounded(count); i++)
        {
            var head = bytes.Bytes(at, 16);
            var library = ByteFile.Name(names, bytes.U32(head.AsSpan(4)));
            var auxAt = at + bytes.U32(head.AsSpan(8));
            for (var j = 0ul; j < Bounded(bytes.U16(head.AsSpan(2))); j++)
            {
                var aux = bytes.Bytes(auxAt, 16);
                needs.Add(new VersionNeed(library, ByteFile.Name(names, bytes.U32(aux.AsSpan(8))), (bytes.U16(aux.AsSpan(4)) & 2) != 0));
                Bounded((ulong)needs.Count);
                auxAt += bytes.U32(aux.AsSpan(12));
            }

            at += bytes.U32(head.AsSpan(12));
        }

        return needs;
    }

    /// <summary>Elf_Verdef: version 2, flags 2, index 2, count 2, hash 4, aux 4, next 4; Elf_Verdaux: name 4, next 4.</summary>
    private static HashSet<string> ReadDefined(ByteFile bytes, byte[] names, ulong at, ulong count)
    {
        var defined = new HashSet<string>(StringComparer.Ordinal);
        for (var i = 0ul; i < Bounded(count); i++)
        {
            var head = bytes.Bytes(at, 20);
            var aux = bytes.Bytes(at + bytes.U32(head.AsSpan(12)), 8);
            defined.Add(ByteFile.Name(names, bytes.U32(aux)));
            at += bytes.U32(head.AsSpan(16));
        }

        return defined;
    }

    private static ulong Bounded(ulong count) =>
        count <= MostVersions ? count : throw new FormatException("it has more versions than is possible");
}
