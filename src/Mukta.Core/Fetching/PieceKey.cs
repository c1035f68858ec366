using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Fetching;

/// <summary>What tells a piece from all others: its hash and its length.</summary>
/// <param name="Digest">The hash in lower-case hexadecimal; its length tells the function.</param>
/// <param name="Length">Bytes.</param>
internal readonly record struct PieceKey(string Digest, long Length)
{
    /// <summary>The key of a file's piece.</summary>
    public static PieceKey Of(ManifestFile file, int piece) => new(Convert.ToHexStringLower(file.Proof[piece]), file.RangeOf(piece).Length);

    /// <summary>The hash function; null for a length that none has.</summary>
    public HashKind? Kind
    {
        get
        {
            var length = Digest.Length;
            return Enum.GetValues<HashKind>().Cast<HashKind?>().FirstOrDefault(k => 2 * k!.Value.DigestLength() == length);
        }
    }
}
