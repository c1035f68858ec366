using System.Buffers.Binary;
using System.Runtime.InteropServices;
using System.Text;

namespace Mukta.StandIns;

/// <summary>
/// A program or library of ELF that says what a real one says to the loader (System V ABI): processor, libraries needed,
/// where to look for them. It does nothing; its code is an endless loop or nothing at all.
/// </summary>
internal sealed record MadeElf
{
    /// <summary>The processor of this machine, so that the demo's programs are of the right kind wherever it runs.</summary>
    private static readonly ushort Here = RuntimeInformation.OSArchitecture == Architecture.Arm64 ? (ushort)183 : (ushort)62;

    public bool Is64 { get; init; } = true;

    /// <summary>e_machine: 62 for x86-64, 183 for 64-bit ARM, 3 for 32-bit x86.</summary>
    public ushort Machine { get; init; } = Here;

    public string? SoName { get; init; }

    public string? RunPath { get; init; }

    public IReadOnlyList<string> Needs { get; init; } = [];

    /// <summary>The file's beginning: headers, dynamic section and names. What follows it counts for nothing.</summary>
    public byte[] Head()
    {
        var (names, dynamic) = Dynamic();
        var (width, headLength, segmentLength) = Is64 ? (8, 64, 56) : (4, 52, 32);
        var namesAt = headLength + (2 * segmentLength);
        var dynamicAt = (namesAt + names.Length + 7) & ~7;
        var bytes = new byte[dynamicAt + ((dynamic.Count + 3) * 2 * width)];
        byte[] ident = [0x7f, (byte)'E', (byte)'L', (byte)'F', (byte)(Is64 ? 2 : 1), 1, 1];
        ident.CopyTo(bytes, 0);
        U16(bytes, 16, 3); // ET_DYN
        U16(bytes, 18, Machine);
        U32(bytes, 20, 1);
        Word(bytes, Is64 ? 32 : 28, (ulong)headLength);
        U16(bytes, Is64 ? 52 : 40, (ushort)headLength);
        U16(bytes, Is64 ? 54 : 42, (ushort)segmentLength);
        U16(bytes, Is64 ? 56 : 44, 2);
        Segment(bytes, headLength, type: 1, offset: 0, (ulong)bytes.Length); // PT_LOAD of everything
        Segment(bytes, headLength + segmentLength, type: 2, (ulong)dynamicAt, (ulong)(bytes.Length - dynamicAt)); // PT_DYNAMIC
        names.CopyTo(bytes, namesAt);
        var at = dynamicAt;
        foreach (var (tag, value) in dynamic.Append((5ul, (ulong)namesAt)).Append((10ul, (ulong)names.Length))) // DT_STRTAB, DT_STRSZ
        {
            Word(bytes, at, tag);
            Word(bytes, at + width, value);
            at += 2 * width;
        }

        return bytes;
    }

    private (byte[] Names, List<(ulong Tag, ulong Value)> Dynamic) Dynamic()
    {
        var names = new List<byte> { 0 };
        var dynamic = new List<(ulong, ulong)>();
        void Add(ulong tag, string? name)
        {
            if (name is null)
                return;
            dynamic.Add((tag, (ulong)names.Count));
            names.AddRange(Encoding.ASCII.GetBytes(name + "\0"));
        }

        foreach (var library in Needs)
            Add(1, library); // DT_NEEDED
        Add(14, SoName); // DT_SONAME
        Add(29, RunPath); // DT_RUNPATH
        return ([.. names], dynamic);
    }

    private void Segment(byte[] bytes, int at, uint type, ulong offset, ulong length)
    {
        U32(bytes, at, type);
        var (offsetAt, addressAt, inFileAt, inMemoryAt) = Is64 ? (8, 16, 32, 40) : (4, 8, 16, 20);
        Word(bytes, at + offsetAt, offset);
        Word(bytes, at + addressAt, offset);
        Word(bytes, at + inFileAt, length);
        Word(bytes, at + inMemoryAt, length);
    }

    private static void U16(byte[] bytes, int at, ushort value) => BinaryPrimitives.WriteUInt16LittleEndian(bytes.AsSpan(at), value);

    private static void U32(byte[] bytes, int at, uint value) => BinaryPrimitives.WriteUInt32LittleEndian(bytes.AsSpan(at), value);

    private void Word(byte[] bytes, int at, ulong value)
    {
        if (Is64)
            BinaryPrimitives.WriteUInt64LittleEndian(bytes.AsSpan(at), value);
        else
            U32(bytes, at, (uint)value);
    }
}
