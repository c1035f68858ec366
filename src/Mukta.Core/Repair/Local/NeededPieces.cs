using System.Buffers.Binary;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Repair.Local;

/// <summary>Where the bytes of a piece are.</summary>
internal sealed record PiecePlace(Folder Folder, string Path, long Offset);

/// <summary>
/// The pieces that a plan needs, and where they were found. A file of one piece is looked for among files of its size only; the pieces
/// of longer ones at the same distances from a file's beginning.
/// </summary>
internal sealed class NeededPieces
{
    private readonly record struct Key(UInt128 Head, HashKind Kind, long Length);

    private readonly Dictionary<Key, PiecePlace?> pieces = [];
    private readonly HashSet<(long Length, HashKind Kind)> wholes = [];
    private readonly Dictionary<(long Length, HashKind Kind), Grid> grids = [];

    public bool IsEmpty => pieces.Count == 0;

    /// <summary>How many were not found yet.</summary>
    public long Missing { get; private set; }

    /// <summary>Takes down what has to be fetched of a file.</summary>
    public void Need(PutFile put)
    {
        foreach (var key in Keys(put))
        {
            Missing += pieces.TryAdd(key, null) ? 1 : 0;
            if (put.File.PieceCount == 1)
                wholes.Add((key.Length, key.Kind));
            else
                GridOf(put.File).Need(key.Length);
        }
    }

    /// <summary>Takes down that a file's piece is in a place. Nothing happens if it is not needed, or was found before.</summary>
    public void Found(ManifestFile file, int piece, PiecePlace place) => Found(KeyOf(file, piece), place);

    /// <summary>The same for bytes that were hashed.</summary>
    public void Found(ReadOnlySpan<byte> digest, HashKind kind, long length, PiecePlace place) =>
        Found(new Key(BinaryPrimitives.ReadUInt128BigEndian(digest), kind, length), place);

    /// <summary>Where a file's piece was found; null if it was not.</summary>
    public PiecePlace? PlaceOf(ManifestFile file, int piece) => IsEmpty ? null : pieces.GetValueOrDefault(KeyOf(file, piece));

    /// <summary>How many bytes of what has to be fetched of a file were found.</summary>
    public long FoundBytes(PutFile put) => IsEmpty ? 0 : Keys(put).Where(k => pieces.GetValueOrDefault(k) is not null).Sum(k => k.Length);

    /// <summary>The files of a folder in which something was found, with how many bytes of it.</summary>
    public IEnumerable<(string Path, long Bytes)> FilesIn(Folder folder) =>
        pieces.Where(p => p.Value is { } place && place.Folder == folder)
            .GroupBy(p => p.Value!.Path, StringComparer.Ordinal).Select(f => (f.Key, f.Sum(p => p.Key.Length)));

    /// <summary>What of a file of a size may be a needed piece: ways to cut it, those first that may find most.</summary>
    public IEnumerable<IReadOnlyList<HashRange>> WaysToCut(long size)
    {
        foreach (var kind in Enum.GetValues<HashKind>().Where(k => wholes.Contains((size, k))))
            yield return [new HashRange(0, size, kind)];
        foreach (var grid in grids.Values.OrderByDescending(g => g.NeededBytes))
            yield return [.. grid.In(size)];
    }

    private static Key KeyOf(ManifestFile file, int piece) => new(
        BinaryPrimitives.ReadUInt128BigEndian(file.Proof[piece]), file.ProofKind, file.RangeOf(piece).Length);

    private static IEnumerable<Key> Keys(PutFile put) =>
        put.Fetch.SelectMany(r => Enumerable.Range(r.FirstPiece, r.LastPiece - r.FirstPiece + 1)).Select(p => KeyOf(put.File, p));

    private Grid GridOf(ManifestFile file)
    {
        var (length, kind) = (file.Proof.PieceLength, file.ProofKind);
        return grids.TryGetValue((length, kind), out var known) ? known : grids[(length, kind)] = new Grid(length, kind);
    }

    private void Found(Key key, PiecePlace place)
    {
        if (!pieces.TryGetValue(key, out var known) || known is not null)
            return;
        pieces[key] = place;
        Missing--;
    }

    /// <summary>The needed pieces of files that are cut at the same distances.</summary>
    private sealed class Grid(long length, HashKind kind)
    {
        private readonly HashSet<long> ends = [];
        private bool hasFull;

        public long NeededBytes { get; private set; }

        public void Need(long pieceLength)
        {
            NeededBytes += pieceLength;
            if (pieceLength == length)
                hasFull = true;
            else
                ends.Add(pieceLength);
        }

        /// <summary>Where in a file of a size one of them may be.</summary>
        public IEnumerable<HashRange> In(long size)
        {
            for (var offset = 0L; hasFull && offset + length <= size; offset += length)
                yield return new HashRange(offset, length, kind);
            if (ends.Contains(size % length))
                yield return new HashRange(size - (size % length), size % length, kind);
        }
    }
}
