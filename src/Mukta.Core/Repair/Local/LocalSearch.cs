using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Verification;

namespace Mukta.Repair.Local;

/// <summary>
/// Looks for needed pieces on this machine: in what an interrupted run has fetched, in files that were moved or renamed, among kept files,
/// in other installs, in folders that the user named.
/// </summary>
/// <param name="pieces">What is needed. Takes what is found.</param>
/// <param name="install">The install.</param>
/// <param name="worth">So many bytes may be read of files that nobody named.</param>
/// <param name="meter">Counts the bytes that are read.</param>
/// <param name="cancel">Ends it.</param>
internal sealed class LocalSearch(NeededPieces pieces, Folder install, long worth, WorkMeter? meter, CancellationToken cancel)
{
    private readonly List<Folder> opened = [];
    private long budget = worth;

    /// <summary>The folders of pieces outside the install. Whoever takes the pieces closes them.</summary>
    public IReadOnlyList<Folder> Opened => opened;

    /// <summary>The kept files of an install's operations, those of the latest first.</summary>
    public static IReadOnlyList<string> KeptIn(Folder install) =>
        [.. OperationRecord.In(install, KeptArea.OfInstall).Reverse().SelectMany(r => r.KeptFiles())];

    /// <summary>Looks in one kind of place after the other, until everything is found.</summary>
    public void Run(RepairPlan plan, VerifyResult found, LocalPlaces places, IReadOnlyList<string> kept)
    {
        ScanStaged(plan);
        TakeProven(found);
        ScanStrays(found);
        TakeOlder(plan);
        ScanKept(kept);
        ScanOtherInstalls(plan, places);
        ScanNamed(places);
    }

    /// <summary>What an interrupted run has fetched need not be fetched again.</summary>
    private void ScanStaged(RepairPlan plan)
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

    /// <summary>The same bytes may be elsewhere in the install itself: the manifest tells, and verification has read them.</summary>
    private void TakeProven(VerifyResult found)
    {
        foreach (var file in found.Manifest.Files.Where(f => found.Proven.ContainsKey(f.Path)))
            TakeAll(file);
    }

    private void ScanStrays(VerifyResult found)
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
        foreach (var file in (plan.Older?.Files ?? []).TakeWhile(_ => pieces.Missing > 0))
        {
            if (install.Look(file.Path) is { Kind: NodeKind.File } there && there.Size == file.Size)
                TakeAll(file);
        }
    }

    private void ScanKept(IReadOnlyList<string> paths)
    {
        foreach (var path in paths.TakeWhile(_ => pieces.Missing > 0))
        {
            if (install.Look(path) is { Kind: NodeKind.File } kept)
                Scan(install, path, kept.Size, isNamed: false);
        }
    }

    private void ScanOtherInstalls(RepairPlan plan, LocalPlaces places)
    {
        foreach (var other in places.OtherInstalls.TakeWhile(_ => pieces.Missing > 0))
        {
            if (TryOpen(other) is not { } folder)
                continue;
            foreach (var put in plan.Puts.Where(p => !p.IsFresh))
            {
                if (folder.Look(put.Path) is { Kind: NodeKind.File } there)
                    Scan(folder, put.Path, there.Size, isNamed: false);
            }
        }
    }

    private void ScanNamed(LocalPlaces places)
    {
        foreach (var also in places.Also.TakeWhile(_ => pieces.Missing > 0))
        {
            if (TryOpen(also) is not { } folder)
                continue;
            foreach (var entry in TreeWalk.Entries(folder, null, cancel).Where(e => e.Node is { Kind: NodeKind.File })
                .TakeWhile(_ => pieces.Missing > 0))
                Scan(folder, entry.Path, entry.Node!.Value.Size, isNamed: true);
        }
    }

    private Folder? TryOpen(string path)
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

    /// <summary>Takes the pieces of a file of the install, which is as a manifest says.</summary>
    private void TakeAll(ManifestFile file)
    {
        for (var piece = 0; piece < file.PieceCount && pieces.Missing > 0; piece++)
            pieces.Found(file, piece, new PiecePlace(install, file.Path, file.RangeOf(piece).Offset));
    }

    /// <summary>Hashes what may be a needed piece in a file, and remembers what is one.</summary>
    private void Scan(Folder folder, string path, long size, bool isNamed)
    {
        if (pieces.Missing == 0 || size == 0)
            return;
        var ranges = WorthReading(size, isNamed);
        if (ranges.Count == 0)
            return;
        try
        {
            using var file = folder.OpenRead(path);
            OpenFileRanges.Hash(file, ranges, Take, meter, cancel);

            void Take(int index, in Hashed hashed)
            {
                var range = ranges[index];
                if (hashed.Digest.Length > 0)
                    pieces.Found(hashed.Digest, range.Kind, range.Length, new PiecePlace(folder, path, range.Offset));
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            // What cannot be read is not a source.
        }
    }

    /// <summary>What of a file of a size may be a needed piece, as far as it is worth reading.</summary>
    private List<HashRange> WorthReading(long size, bool isNamed)
    {
        var ranges = new List<HashRange>();
        foreach (var more in pieces.WaysToCut(size))
        {
            var bytes = more.Sum(r => r.Length);
            if (!isNamed || ranges.Count > 0) // A file in a named folder is read once in any case.
            {
                if (bytes > budget)
                    continue;
                budget -= bytes;
            }

            ranges.AddRange(more);
        }

        return ranges;
    }
}
