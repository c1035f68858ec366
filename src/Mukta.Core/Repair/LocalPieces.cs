using System.Buffers.Binary;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>Where to look for pieces on this machine before the network is asked.</summary>
/// <param name="Also">Folders that the user named: every file in them is checked.</param>
/// <param name="OtherInstalls">Other installs of the product: files of the same paths are checked.</param>
public sealed record LocalPlaces(IReadOnlyList<string> Also, IReadOnlyList<string> OtherInstalls)
{
    /// <summary>None but the install itself.</summary>
    public static LocalPlaces None { get; } = new([], []);
}

/// <summary>
/// Pieces that are needed and were found on this machine: in what an interrupted run has fetched, in files that were moved or
/// renamed, among kept files, in other installs, in
/// folders that the user named. Found by length and hash; each is hashed again when it is taken. A file of one piece is looked for among
/// files of its size only; the pieces of longer ones at the same distances from a file's beginning.
/// </summary>
public sealed class LocalPieces : IDisposable
{
    /// <summary>
    /// Files nobody named are only checked while that is worth it: so many bytes for each that is needed. A file in a named folder is
    /// read once in any case.
    /// </summary>
    private const long WorthReading = 16;

    private const long AlwaysWorthReading = 256L << 20;

    /// <summary>So many files that will be moved are held open at most.</summary>
    private const int MostHeld = 400;

    private readonly record struct PieceKey(UInt128 Head, HashKind Kind, long Length);

    private sealed record Place(Folder Folder, string Path, long Offset);

    private readonly Dictionary<PieceKey, Place?> pieces = [];
    private readonly HashSet<(long Length, HashKind Kind)> wholes = [];
    private readonly Dictionary<(long Length, HashKind Kind), Grid> grids = [];
    private readonly List<Folder> opened = [];
    private readonly Dictionary<string, SafeFileHandle> held = new(StringComparer.Ordinal);
    private readonly Folder install;
    private readonly WorkMeter? meter;
    private readonly CancellationToken cancel;
    private long taken, missing, budget;

    private LocalPieces(Folder install, WorkMeter? meter, CancellationToken cancel) =>
        (this.install, this.meter, this.cancel) = (install, meter, cancel);

    /// <summary>Bytes that were taken so far.</summary>
    public long Taken => Interlocked.Read(ref taken);

    /// <summary>True if there was nothing to look for, or nowhere to look.</summary>
    internal bool IsEmpty => pieces.Count == 0;

    /// <summary>Looks for the pieces that a plan needs.</summary>
    /// <param name="plan">The plan.</param>
    /// <param name="found">The verification that it was made from.</param>
    /// <param name="install">The install.</param>
    /// <param name="places">Where else to look.</param>
    /// <param name="meter">Counts the bytes that are read.</param>
    /// <param name="cancel">Ends it.</param>
    public static LocalPieces For(
        RepairPlan plan, VerifyResult found, Folder install, LocalPlaces places, WorkMeter? meter, CancellationToken cancel)
    {
        var local = new LocalPieces(install, meter, cancel);
        var kept = KeptIn(install);
        if (!IsAnythingHere(plan, found, install, places, kept))
            return local;
        try
        {
            foreach (var put in plan.Puts.Where(p => !p.IsFresh))
                local.Need(put);
            if (local.pieces.Count == 0)
                return local;
            meter?.Begin("looking on this machine", 0);
            local.budget = Math.Max(AlwaysWorthReading, WorthReading * plan.BytesToFetch);
            local.ScanStaged(plan, install);
            local.TakeProven(found, install);
            local.ScanStrays(found, install);
            local.TakeOlder(plan);
            local.ScanKept(kept);
            local.ScanOthers(plan, places);
            return local;
        }
        catch
        {
            local.Dispose();
            throw;
        }
    }

    /// <summary>False if no place has a file: then nothing need be known of the pieces, of which a release may have a million.</summary>
    private static bool IsAnythingHere(
        RepairPlan plan, VerifyResult found, Folder install, LocalPlaces places, IReadOnlyList<string> kept) =>
        places.Also.Count + places.OtherInstalls.Count + kept.Count + found.Proven.Count > 0 || plan.Older is not null
        || found.Findings.Any(f => f is not Missing) || PlanRunner.HasStaged(install);

    /// <summary>The kept files of the install's operations, those of the latest first.</summary>
    private static IReadOnlyList<string> KeptIn(Folder install) =>
        [.. OperationRecord.In(install, KeptArea.OfInstall).Reverse().SelectMany(r => r.KeptFiles())];

    /// <summary>How many bytes of a file's needed pieces are here.</summary>
    public long BytesFor(PutFile put) =>
        put.IsFresh || pieces.Count == 0 ? 0 : Pieces(put).Where(p => pieces.GetValueOrDefault(p.Key) is not null).Sum(p => p.Key.Length);

    /// <summary>Opens the files that a plan moves away or replaces, so that their pieces can be taken afterwards as well.</summary>
    internal void HoldOpen(RepairPlan plan)
    {
        var moved = plan.Steps.Where(s => s is HoldAway or PutFile { Replaces: not null }).Select(s => s.Path)
            .ToHashSet(StringComparer.Ordinal);
        foreach (var file in pieces.Where(p => p.Value is { } place && place.Folder == install && moved.Contains(place.Path))
            .GroupBy(p => p.Value!.Path, StringComparer.Ordinal).OrderByDescending(f => f.Sum(p => p.Key.Length)).Take(MostHeld))
        {
            try
            {
                held.TryAdd(file.Key, install.OpenRead(file.Key));
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
            {
                // What cannot be read here is fetched.
            }
        }
    }

    /// <summary>Copies what is here into a staged file, hashing each piece on the way.</summary>
    internal void Fill(StagedFile staged, CancellationToken stop)
    {
        if (IsEmpty)
            return;
        using var hasher = new PieceHasher();
        var proof = staged.File.Proof;
        for (var piece = 0; piece < staged.PieceCount; piece++)
        {
            var range = staged.RangeOf(piece);
            if (!staged.IsNeeded(piece) || pieces.GetValueOrDefault(Key(staged.File, piece)) is not { } place
                || !staged.TryClaim(piece))
                continue;
            var isRight = false;
            try
            {
                var open = place.Folder == install ? held.GetValueOrDefault(place.Path) : null;
                using var own = open is null ? place.Folder.OpenRead(place.Path) : null;
                var from = open ?? own!;
                if (!hasher.Proves(from, new HashRange(place.Offset, range.Length, proof.Kind), proof[piece], stop))
                    continue; // It was changed since it was looked at.
                staged.CopyFrom(from, place.Offset, range);
                isRight = staged.Proves(staged.Handle, piece, hasher, stop);
                if (isRight)
                    Interlocked.Add(ref taken, range.Length);
            }
            catch (Exception e) when (e is IOException or UnauthorizedAccessException
                or DiskException { Errno: not (DiskException.NoSpace or DiskException.QuotaExceeded) })
            {
                // What cannot be read here is fetched.
            }
            finally
            {
                staged.Release(piece, isRight);
            }
        }
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        opened.ForEach(f => f.Dispose());
        foreach (var file in held.Values)
            file.Dispose();
    }

    private static PieceKey Key(ManifestFile file, int piece) => new(
        BinaryPrimitives.ReadUInt128BigEndian(file.Proof[piece]), file.ProofKind, file.RangeOf(piece).Length);

    private static IEnumerable<(PieceKey Key, int Piece)> Pieces(PutFile put) =>
        put.Fetch.SelectMany(r => Enumerable.Range(r.FirstPiece, r.LastPiece - r.FirstPiece + 1)).Select(p => (Key(put.File, p), p));

    private void Need(PutFile put)
    {
        foreach (var (key, _) in Pieces(put))
        {
            missing += pieces.TryAdd(key, null) ? 1 : 0;
            if (put.File.PieceCount == 1)
                wholes.Add((key.Length, key.Kind));
            else
                GridOf(put.File).Need(key.Length);
        }
    }

    private Grid GridOf(ManifestFile file)
    {
        var (length, kind) = (file.Proof.PieceLength, file.ProofKind);
        return grids.TryGetValue((length, kind), out var known) ? known : grids[(length, kind)] = new Grid(length, kind);
    }

    private void Found(PieceKey key, Place place)
    {
        if (!pieces.TryGetValue(key, out var known) || known is not null)
            return;
        pieces[key] = place;
        missing--;
    }

    /// <summary>The same bytes may be elsewhere in the install itself: the manifest tells, and verification has read them.</summary>
    private void TakeProven(VerifyResult found, Folder install)
    {
        foreach (var file in found.Manifest.Files.Where(f => found.Proven.ContainsKey(f.Path)))
        {
            for (var piece = 0; piece < file.PieceCount && missing > 0; piece++)
                Found(Key(file, piece), new Place(install, file.Path, file.RangeOf(piece).Offset));
        }
    }

    /// <summary>What an interrupted run has fetched need not be fetched again.</summary>
    private void ScanStaged(RepairPlan plan, Folder install)
    {
        if (!PlanRunner.HasStaged(install))
            return;
        foreach (var file in plan.Puts.Where(p => !p.IsFresh).Select(p => p.File))
        {
            var path = StagedFile.PathOf(PlanRunner.StagingFolder, file);
            if (install.Look(path) is { Kind: NodeKind.File } staged && staged.Size == file.Size)
                Scan(install, path, file.Size, isNamed: true);
        }
    }

    private void ScanStrays(VerifyResult found, Folder install)
    {
        var wanted = found.Findings.OfType<Missing>().Select(m => m.Entry).OfType<ManifestFile>().Select(f => f.Size).ToHashSet();
        foreach (var stray in found.Strays.Where(s => s.Found.Kind == NodeKind.File).OrderByDescending(s => wanted.Contains(s.Found.Size)))
            Scan(install, stray.Path, stray.Found.Size, isNamed: false);
        foreach (var miscased in found.Findings.OfType<Miscased>())
            Scan(install, miscased.FoundAt, miscased.Found.Size, isNamed: false);
        foreach (var inTheWay in found.Findings.OfType<WrongKind>().Where(w => w.Found == NodeKind.File))
            Scan(install, inTheWay.Path, inTheWay.BytesInside, isNamed: false);
    }

    /// <summary>
    /// What the older release had where: a piece may be in another file now. Nothing is read; a piece is proven when it is taken.
    /// </summary>
    private void TakeOlder(RepairPlan plan)
    {
        foreach (var file in (plan.Older?.Files ?? []).TakeWhile(_ => missing > 0))
        {
            if (install.Look(file.Path) is not { Kind: NodeKind.File } there || there.Size != file.Size)
                continue;
            for (var piece = 0; piece < file.PieceCount && missing > 0; piece++)
                Found(Key(file, piece), new Place(install, file.Path, file.RangeOf(piece).Offset));
        }
    }

    private void ScanKept(IReadOnlyList<string> paths)
    {
        foreach (var path in paths.TakeWhile(_ => missing > 0))
        {
            if (install.Look(path) is { Kind: NodeKind.File } kept)
                Scan(install, path, kept.Size, isNamed: false);
        }
    }

    private void ScanOthers(RepairPlan plan, LocalPlaces places)
    {
        foreach (var other in places.OtherInstalls.TakeWhile(_ => missing > 0))
        {
            if (Opened(other) is not { } folder)
                continue;
            foreach (var put in plan.Puts.Where(p => !p.IsFresh))
            {
                if (folder.Look(put.Path) is { Kind: NodeKind.File } there)
                    Scan(folder, put.Path, there.Size, isNamed: false);
            }
        }

        foreach (var also in places.Also.TakeWhile(_ => missing > 0))
        {
            if (Opened(also) is not { } folder)
                continue;
            foreach (var entry in TreeWalk.Entries(folder, null, cancel).Where(e => e.Node is { Kind: NodeKind.File })
                .TakeWhile(_ => missing > 0))
                Scan(folder, entry.Path, entry.Node!.Value.Size, isNamed: true);
        }
    }

    private Folder? Opened(string path)
    {
        try
        {
            var folder = Folder.Open(path);
            opened.Add(folder);
            return folder;
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    /// <summary>Hashes what may be a needed piece in a file, and remembers what is one.</summary>
    private void Scan(Folder folder, string path, long size, bool isNamed)
    {
        if (missing == 0 || size == 0)
            return;
        var slices = Slices(size, isNamed);
        if (slices.Count == 0)
            return;
        try
        {
            using var file = folder.OpenRead(path);
            OpenFileRanges.Hash(file, slices, Take, meter, cancel);

            void Take(int index, in Hashed hashed)
            {
                var slice = slices[index];
                if (hashed.Digest.Length > 0)
                {
                    Found(new PieceKey(BinaryPrimitives.ReadUInt128BigEndian(hashed.Digest), slice.Kind, slice.Length),
                        new Place(folder, path, slice.Offset));
                }
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            // What cannot be read is not a source.
        }
    }

    /// <summary>What of a file of a size may be a needed piece, as far as it is worth reading.</summary>
    private List<HashRange> Slices(long size, bool isNamed)
    {
        var slices = new List<HashRange>();
        foreach (var kind in Enum.GetValues<HashKind>().Where(k => wholes.Contains((size, k))))
            AddIfWorth([new HashRange(0, size, kind)]);
        foreach (var grid in grids.Values.OrderByDescending(g => g.NeededBytes))
            AddIfWorth([.. grid.In(size)]);
        return slices;

        void AddIfWorth(List<HashRange> more)
        {
            var bytes = more.Sum(r => r.Length);
            if (!isNamed || slices.Count > 0)
            {
                if (bytes > budget)
                    return;
                budget -= bytes;
            }

            slices.AddRange(more);
        }
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
