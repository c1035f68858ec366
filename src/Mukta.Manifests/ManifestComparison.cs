using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>A file that both releases list, with other bytes.</summary>
/// <param name="Old">As the older one lists it.</param>
/// <param name="New">As the newer one does.</param>
/// <param name="BytesToFetch">Bytes of its pieces that the older release has nowhere.</param>
public sealed record ChangedFile(ManifestFile Old, ManifestFile New, long BytesToFetch);

/// <summary>What an update from one release to another changes. Pure.</summary>
/// <param name="Added">Files that only the newer one lists.</param>
/// <param name="Changed">Files with other bytes.</param>
/// <param name="Removed">Files that only the older one lists.</param>
/// <param name="LinksChanged">Symbolic links that differ in any way.</param>
/// <param name="ModesChanged">Files whose bytes are the same and whose permission bits are not.</param>
/// <param name="BytesToFetch">Bytes of pieces that the older release has nowhere: what an update downloads at most.</param>
public sealed record ManifestComparison(
    IReadOnlyList<ManifestFile> Added, IReadOnlyList<ChangedFile> Changed, IReadOnlyList<ManifestFile> Removed, int LinksChanged,
    int ModesChanged, long BytesToFetch)
{
    /// <summary>Compares two releases.</summary>
    public static ManifestComparison Of(Manifest old, Manifest newer)
    {
        var before = old.Files.ToDictionary(f => f.Path, StringComparer.Ordinal);
        var pieces = old.Files.SelectMany(Pieces).Select(p => p.Key).ToHashSet();
        long ToFetch(ManifestFile file) => Pieces(file).Where(p => !pieces.Contains(p.Key)).DistinctBy(p => p.Key).Sum(p => p.Length);
        var changed = newer.Files.Where(f => before.TryGetValue(f.Path, out var was) && !HasSameBytes(was, f))
            .Select(f => new ChangedFile(before[f.Path], f, ToFetch(f))).ToList();
        var added = newer.Files.Where(f => !before.ContainsKey(f.Path)).ToList();
        var links = old.Links.Select(l => (l.Path, l.Target)).ToHashSet();
        links.SymmetricExceptWith(newer.Links.Select(l => (l.Path, l.Target)));
        return new ManifestComparison(
            added, changed, [.. old.Files.ExceptBy(newer.Files.Select(f => f.Path), f => f.Path, StringComparer.Ordinal)],
            links.Select(l => l.Path).Distinct().Count(),
            newer.Files.Count(f => before.TryGetValue(f.Path, out var was) && HasSameBytes(was, f) && was.Mode != f.Mode),
            added.Concat(changed.Select(c => c.New)).SelectMany(Pieces).Where(p => !pieces.Contains(p.Key)).DistinctBy(p => p.Key)
            .Sum(p => p.Length));
    }

    private static bool HasSameBytes(ManifestFile a, ManifestFile b)
    {
        if (a.Size != b.Size && a.HasSize && b.HasSize)
            return false;
        foreach (var hash in a.Hashes)
        {
            if (b.Hashes.FirstOrDefault(h => h.Kind == hash.Kind) is { } same)
                return same.Digest.AsSpan().SequenceEqual(hash.Digest);
        }

        return a.Proof.PieceLength == b.Proof.PieceLength && a.Proof.Kind == b.Proof.Kind
            && Enumerable.Range(0, a.PieceCount).All(p => a.Proof[p].SequenceEqual(b.Proof[p]));
    }

    private static IEnumerable<((HashKind Kind, long Length, string Digest) Key, long Length)> Pieces(ManifestFile file)
    {
        for (var piece = 0; piece < file.PieceCount; piece++)
        {
            var range = file.RangeOf(piece);
            yield return ((range.Kind, range.Length, Convert.ToHexString(file.Proof[piece])), range.Length);
        }
    }
}
