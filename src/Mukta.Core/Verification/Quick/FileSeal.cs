using System.Buffers.Binary;
using System.Security.Cryptography;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification.Quick;

/// <summary>
/// The state of a file as it was when all its bytes were found right, and what they were: as long as nothing of that has changed, nobody
/// has written to it.
/// </summary>
/// <param name="Kind">A file, or a link.</param>
/// <param name="Mode">The permission bits.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Inode">Its number on its disk.</param>
/// <param name="ModifiedNs">Last change of its bytes, nanoseconds since 1970 UTC.</param>
/// <param name="ChangedNs">Last change of its bytes or attributes, nanoseconds since 1970 UTC.</param>
/// <param name="Content">What its bytes were: 16 bytes made of the hashes that the manifest has of them.</param>
internal readonly record struct FileSeal(NodeKind Kind, int Mode, long Size, ulong Inode, long ModifiedNs, long ChangedNs, UInt128 Content)
{
    /// <summary>Bytes of one, packed.</summary>
    public const int Length = 1 + 2 + 8 + 8 + 8 + 8 + 16;

    public FileSeal(in Node node, UInt128 content)
        : this(node.Kind, node.Mode, node.Size, node.Inode, node.ModifiedNs, node.ChangedNs, content)
    {
    }

    /// <summary>Makes what <see cref="ContentOf"/> needs: one for many files.</summary>
    public static IncrementalHash StartHash() => IncrementalHash.CreateHash(HashAlgorithmName.SHA256);

    /// <summary>What stands for the bytes that a manifest asks for.</summary>
    public static UInt128 ContentOf(ManifestFile file, IncrementalHash hash)
    {
        Span<byte> head = stackalloc byte[17];
        head[0] = (byte)file.Proof.Kind;
        BinaryPrimitives.WriteInt64LittleEndian(head[1..], file.Size);
        BinaryPrimitives.WriteInt64LittleEndian(head[9..], file.Pieces?.PieceLength ?? 0);
        hash.AppendData(head);
        var proof = file.Proof;
        for (var piece = 0; piece < proof.Count; piece++)
            hash.AppendData(proof[piece]);
        if (file.AlsoProve is { } whole)
            hash.AppendData(whole.Digest);
        Span<byte> digest = stackalloc byte[32];
        hash.GetHashAndReset(digest);
        return BinaryPrimitives.ReadUInt128LittleEndian(digest);
    }

    /// <summary>True if the node is as this says.</summary>
    public bool Fits(in Node node) =>
        (Kind, Mode, Size, Inode, ModifiedNs, ChangedNs) == (node.Kind, node.Mode, node.Size, node.Inode, node.ModifiedNs, node.ChangedNs);

    /// <summary>Reads one.</summary>
    public static FileSeal Read(ReadOnlySpan<byte> from) => new(
        (NodeKind)from[0], BinaryPrimitives.ReadUInt16LittleEndian(from[1..]), BinaryPrimitives.ReadInt64LittleEndian(from[3..]),
        BinaryPrimitives.ReadUInt64LittleEndian(from[11..]),
        BinaryPrimitives.ReadInt64LittleEndian(from[19..]), BinaryPrimitives.ReadInt64LittleEndian(from[27..]),
        BinaryPrimitives.ReadUInt128LittleEndian(from[35..]));

    /// <summary>Writes it.</summary>
    public void Write(Span<byte> into)
    {
        into[0] = (byte)Kind;
        BinaryPrimitives.WriteUInt16LittleEndian(into[1..], (ushort)Mode);
        BinaryPrimitives.WriteInt64LittleEndian(into[3..], Size);
        BinaryPrimitives.WriteUInt64LittleEndian(into[11..], Inode);
        BinaryPrimitives.WriteInt64LittleEndian(into[19..], ModifiedNs);
        BinaryPrimitives.WriteInt64LittleEndian(into[27..], ChangedNs);
        BinaryPrimitives.WriteUInt128LittleEndian(into[35..], Content);
    }
}
