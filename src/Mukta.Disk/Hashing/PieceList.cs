
namespace Mukta.Hashing;

/// <summary>The hashes of a file's pieces: fixed-length slices, the last one shorter where the size is not a multiple.</summary>
public sealed class PieceList
{
    private readonly byte[] digests;

    /// <summary>Keeps the digests, one after the other in one block of memory.</summary>
    /// <param name="kind">The hash function.</param>
    /// <param name="pieceLength">Bytes of a piece, at least 1.</param>
    /// <param name="digests">All digests; the length must be a multiple of the digest's.</param>
    public PieceList(HashKind kind, long pieceLength, byte[] digests)
    {
        ArgumentOutOfRangeException.ThrowIfLessThan(pieceLength, 1);
        if (digests.Length % kind.DigestLength() != 0)
            throw new ArgumentException("Not a whole number of digests.", nameof(digests));
        (Kind, PieceLength, this.digests) = (kind, pieceLength, digests);
    }

    /// <summary>The hash function of all pieces.</summary>
    public HashKind Kind { get; }

    /// <summary>Bytes of each piece but the last.</summary>
    public long PieceLength { get; }

    /// <summary>How many pieces there are.</summary>
    public int Count => digests.Length / Kind.DigestLength();

    /// <summary>The digest of one piece.</summary>
    public ReadOnlySpan<byte> this[int piece] => digests.AsSpan(piece * Kind.DigestLength(), Kind.DigestLength());

    /// <summary>Where a piece lies in a file of a size, in bytes, and how it is hashed.</summary>
    public HashRange RangeOf(int piece, long size) => new(piece * PieceLength, Math.Min(PieceLength, size - (piece * PieceLength)), Kind);

    /// <summary>How many pieces a file of a size has; 0 for an empty file.</summary>
    public static long CountFor(long size, long pieceLength) => size / pieceLength + (size % pieceLength == 0 ? 0 : 1);
}
