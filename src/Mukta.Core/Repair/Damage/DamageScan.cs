using System.Buffers;
using System.Numerics;
using Microsoft.Win32.SafeHandles;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Repair.Damage;

/// <summary>Compares the bad pieces of a damaged file with the good ones, byte by byte.</summary>
/// <param name="release">The release, to find pieces that are in the wrong file.</param>
/// <param name="older">The release that was here before; null if it is not known.</param>
internal sealed class DamageScan(Manifest release, Manifest? older)
{
    private const int Block = 4096;
    private const long LongestText = 64 << 20;

    private readonly Lazy<Dictionary<(HashKind, string), string>> piecesOfRelease = new(() => Pieces(release));
    private readonly Lazy<Dictionary<string, ManifestFile>> olderFiles =
        new(() => older?.Files.ToDictionary(f => f.Path, StringComparer.Ordinal) ?? []);

    /// <summary>Compares a damaged file with the one that is right, and says what the damage looks like.</summary>
    /// <param name="file">As published.</param>
    /// <param name="found">The damaged file, and its size.</param>
    /// <param name="good">The file that is right, at least where the bad pieces are.</param>
    /// <param name="bad">The bad pieces.</param>
    /// <param name="hasAll">True if all of the good file is there.</param>
    /// <param name="cancel">Ends it.</param>
    public DamageFacts Compare(
        ManifestFile file, (SafeFileHandle Handle, long Size) found, SafeFileHandle good, IReadOnlyList<BadRange> bad, bool hasAll,
        CancellationToken cancel)
    {
        var (old, sizeFound) = found;
        var count = new Counts();
        var there = bad.Select(r => (r.Offset, Length: Math.Min(r.Length, sizeFound - r.Offset))).Where(r => r.Length > 0).ToList();
        foreach (var (offset, length) in there)
            Compare(old, good, offset, length, count, cancel);
        var pieces = bad.SelectMany(r => Enumerable.Range(r.FirstPiece, r.LastPiece - r.FirstPiece + 1))
            .Where(p => file.RangeOf(p) is var range && range.Offset + range.Length <= sizeFound).ToList();
        var (otherFile, olderPieces) = Recognised(file, old, pieces, cancel);
        return new DamageFacts
        {
            SizeFound = sizeFound,
            SizePublished = file.Size,
            PieceLength = file.Proof.PieceLength,
            Compared = there.Sum(t => t.Length),
            Differing = count.Differing,
            DifferingZeros = count.Zeros,
            DifferingBits = count.Bits,
            FlippedBits = count.ByBit,
            FirstAt = Math.Max(0, count.FirstAt),
            Blocks = count.Blocks,
            WholeBlocks = count.WholeBlocks,
            BadPieces = pieces.Count,
            OlderPieces = olderPieces,
            OtherFile = otherFile,
            IsConvertedText = hasAll && sizeFound != file.Size && Math.Max(sizeFound, file.Size) <= LongestText
            && (IsConverted(good, file.Size, old, sizeFound) || IsConverted(old, sizeFound, good, file.Size)),
        };
    }

    private sealed class Counts
    {
        public long Differing, Zeros, Bits, Blocks, WholeBlocks, FirstAt = -1;

        public long[] ByBit { get; } = new long[8];
    }

    private static void Compare(SafeFileHandle old, SafeFileHandle good, long offset, long length, Counts count, CancellationToken cancel)
    {
        var (left, right) = (ArrayPool<byte>.Shared.Rent(256 * Block), ArrayPool<byte>.Shared.Rent(256 * Block));
        try
        {
            for (var done = 0L; done < length;)
            {
                cancel.ThrowIfCancellationRequested();
                var want = (int)Math.Min(256 * Block, length - done);
                var got = Math.Min(Fill(old, left.AsSpan(0, want), offset + done), Fill(good, right.AsSpan(0, want), offset + done));
                for (var at = 0; at < got; at += Block)
                {
                    CompareBlock(
                        left.AsSpan(at, Math.Min(Block, got - at)), right.AsSpan(at, Math.Min(Block, got - at)), offset + done + at, count);
                }

                if (got < want)
                    return;
                done += got;
            }
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(left);
            ArrayPool<byte>.Shared.Return(right);
        }
    }

    private static void CompareBlock(ReadOnlySpan<byte> old, ReadOnlySpan<byte> good, long offset, Counts count)
    {
        if (old.SequenceEqual(good))
            return;
        var differing = 0;
        for (var i = 0; i < old.Length; i++)
        {
            var difference = (byte)(old[i] ^ good[i]);
            if (difference == 0)
                continue;
            differing++;
            count.FirstAt = count.FirstAt < 0 ? offset + i : count.FirstAt;
            count.Zeros += old[i] == 0 ? 1 : 0;
            if (BitOperations.IsPow2(difference))
            {
                count.Bits++;
                count.ByBit[BitOperations.TrailingZeroCount(difference)]++;
            }
        }

        count.Differing += differing;
        count.Blocks++;
        count.WholeBlocks += differing >= old.Length * 9 / 10 ? 1 : 0;
    }

    private static int Fill(SafeFileHandle file, Span<byte> buffer, long offset)
    {
        var done = 0;
        while (done < buffer.Length && RandomAccess.Read(file, buffer[done..], offset + done) is var got and > 0)
            done += got;
        return done;
    }

    /// <summary>Pieces of the damaged file that another file of the release, or the same file of the older release, has.</summary>
    private (string? OtherFile, int OlderPieces) Recognised(
        ManifestFile file, SafeFileHandle old, List<int> pieces, CancellationToken cancel)
    {
        string? other = null;
        var olderPieces = 0;
        var before = olderFiles.Value.GetValueOrDefault(file.Path);
        using var hasher = new PieceHasher();
        foreach (var piece in pieces)
        {
            var range = file.RangeOf(piece);
            var digest = hasher.Hash(old, range, cancel);
            if (other is null && piecesOfRelease.Value.TryGetValue((file.Proof.Kind, Convert.ToHexString(digest)), out var holder)
                && holder != file.Path)
                other = holder;
            if (before is not null && before.Proof.Kind == file.Proof.Kind && before.Proof.PieceLength == file.Proof.PieceLength
                && piece < before.PieceCount && digest.SequenceEqual(before.Proof[piece]))
                olderPieces++;
        }

        return (other, olderPieces);
    }

    private static Dictionary<(HashKind, string), string> Pieces(Manifest release)
    {
        var pieces = new Dictionary<(HashKind, string), string>();
        foreach (var file in release.Files)
        {
            for (var piece = 0; piece < file.PieceCount; piece++)
                pieces.TryAdd((file.Proof.Kind, Convert.ToHexString(file.Proof[piece])), file.Path);
        }

        return pieces;
    }

    /// <summary>True if the second file is the first with every line end (LF) made CR LF.</summary>
    private static bool IsConverted(SafeFileHandle plain, long plainLength, SafeFileHandle converted, long convertedLength)
    {
        if (convertedLength <= plainLength)
            return false;
        var (from, to) = (new byte[plainLength], new byte[convertedLength]);
        if (Fill(plain, from, 0) < from.Length || Fill(converted, to, 0) < to.Length)
            return false;
        var at = 0;
        foreach (var b in from)
        {
            if (b == (byte)'\n' && (at >= to.Length || to[at++] != (byte)'\r'))
                return false;
            if (at >= to.Length || to[at++] != b)
                return false;
        }

        return at == to.Length;
    }
}
