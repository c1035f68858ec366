using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair.Damage;

namespace Mukta.Repair;

/// <summary>Proves built files on the disk and puts them in their places, a batch at a time, so that they share their flushes.</summary>
/// <param name="install">The install.</param>
/// <param name="area">Keeps what is replaced.</param>
/// <param name="plan">The plan.</param>
/// <param name="results">Takes what is done and what fails.</param>
internal sealed class BatchPlacer(Folder install, KeptArea area, RepairPlan plan, StepResults results)
{
    private const int FilesAtATime = 6;

    /// <summary>From so many files on one flush of the whole disk is sooner done than one of each.</summary>
    private const int ManyFiles = 8;

    private readonly Dictionary<string, HoldAway> inTheWay =
        plan.Steps.OfType<HoldAway>().Where(h => !h.IsStray).ToDictionary(h => h.Path, StringComparer.Ordinal);

    private readonly long bytesToBuild = plan.Puts.Sum(p => p.File.Size);

    /// <summary>True if the operation goes on after an interruption.</summary>
    public bool IsResumed { get; init; }

    /// <summary>Tells what damage looks like; null if nobody wants to know.</summary>
    public DamageScan? Scan { get; init; }

    /// <summary>Flushes built files to the disk; answers which could be.</summary>
    public IReadOnlyList<StagedPut> Flushed(IReadOnlyList<StagedPut> batch)
    {
        if (batch.Count >= ManyFiles && install.TryFlushAll())
            return [.. batch];
        var failures = new Exception?[batch.Count];
        var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime };
        Parallel.For(0, batch.Count, parallel, i => failures[i] = StepResults.Tried(batch[i].Staged.Flush));
        for (var i = 0; i < batch.Count; i++)
        {
            if (failures[i] is { } failure)
                results.Fail(batch[i].Put.Path, failure);
        }

        return [.. batch.Where((_, i) => failures[i] is null)];
    }

    /// <summary>Proves a batch of flushed files on the disk and puts them in their places.</summary>
    public void Place(IReadOnlyList<StagedPut> flushed, CancellationToken cancel)
    {
        var proven = ReadBack(flushed, cancel);
        foreach (var patch in proven.Where(p => p.Put.Way == PutWay.Patch))
        {
            if (results.Does(patch.Put.Path, () => Patch(patch, cancel)))
                results.CountProven(patch.Put.Path, install.Look(patch.Put.Path)!.Value);
        }

        using var folders = new EnsuredFolders(install, area);
        if (inTheWay.Count == 0) // Otherwise something may have to be set aside before a folder can be made.
            _ = StepResults.Tried(() => MakeFolders(proven)); // What fails is tried again for its file, which then says why.
        var ready = proven.Where(p => p.Put.Way != PutWay.Patch && results.Does(p.Put.Path, () => Ready(p, folders))).ToList();
        if (ready.Count > 0)
        {
            // Where there are no hard links, what an interrupted run had moved away comes back only now: it was missing before.
            var changes = ready.Select(r => (IsResumed || r.Put.Replaces is not null) && install.Look(r.Put.Path) is not null
                ? (Change)new Replaced(r.Put.Path, r.Staged.Path) : new Placed(r.Put.Path, r.Staged.Path));
            foreach (var (put, failure) in ready.Zip(area.Do([.. changes])))
            {
                if (failure is not null)
                    results.Fail(put.Put.Path, failure);
                else if (install.Look(put.Put.Path) is { } there && put.Staged.IsAsReadBackIn(there))
                    results.CountProven(put.Put.Path, there);
                else
                    results.Fail(put.Put.Path, Swapped(put.Put));
            }
        }
    }

    /// <summary>Sets aside what the plan knows to be in a path's way: at the path, or where a folder on its way belongs.</summary>
    public void MakeWay(string path)
    {
        if (inTheWay.Count == 0)
            return;
        foreach (var blocked in ManifestPath.Folders(path).Append(path))
        {
            if (!inTheWay.Remove(blocked))
                continue;
            area.SetAside(blocked);
            results.Count(blocked, null);
        }
    }

    /// <summary>Reads flushed files back from the disk, all together; answers which are as published.</summary>
    private List<StagedPut> ReadBack(IReadOnlyList<StagedPut> flushed, CancellationToken cancel)
    {
        List<OpenFileRanges> ranges = [.. flushed.Select(f => f.Staged.ToReadBack())];
        RangeHasher.Run(ranges, null, cancel, ofBytes: bytesToBuild);
        return
        [
            .. flushed.Where((built, i) => results.Does(built.Put.Path, () =>
            {
                built.Staged.RefuseUnlessReadBack(ranges[i], cancel);
                Examine(built.Put, built.Staged, cancel);
            })),
        ];
    }

    private void MakeFolders(List<StagedPut> proven) =>
        area.MakeMissingFolders(proven.Where(p => p.Put.Way != PutWay.Patch).Select(p => Folder.ParentOf(p.Put.Path)).Distinct());

    /// <summary>Makes way for a file, and the folders that it is to be in.</summary>
    private void Ready(StagedPut built, EnsuredFolders folders)
    {
        var put = built.Put;
        if (!built.Staged.IsAsReadBack(install.Look(built.Staged.Path)))
            throw Swapped(put);
        RefuseChanged(put);
        MakeWay(put.Path);
        folders.Ensure(Folder.ParentOf(put.Path));
    }

    /// <summary>While the bad and the good bytes are both at hand: what does the damage look like?</summary>
    private void Examine(PutFile put, StagedFile staged, CancellationToken cancel)
    {
        if (Scan is null || put is not { Replaces: { Kind: NodeKind.File } old, IsFresh: false })
            return;
        using var file = install.OpenRead(put.Path);
        if (DamageReading.Of(
            Scan.Compare(put.File, (file, old.Size), staged.Handle, put.Fetch, put.Way != PutWay.Patch, cancel)) is { } cause)
            results.Causes.Add((put.Path, cause));
    }

    /// <summary>Overwrites the bad pieces in place, then hashes them from the file.</summary>
    private void Patch(StagedPut built, CancellationToken cancel)
    {
        var (put, staged) = (built.Put, built.Staged);
        RefuseChanged(put);
        foreach (var range in put.Fetch)
            area.Do(new Patched(put.Path, range.Offset, range.Length, staged.Path, range.Offset, install.Look(put.Path)!.Value.ModifiedNs));
        using (var hasher = new PieceHasher())
        using (var file = install.OpenToPatch(put.Path))
        {
            file.DropFromMemory();
            if (!put.Fetch.All(
                r => Enumerable.Range(r.FirstPiece, r.LastPiece - r.FirstPiece + 1)
                .All(p => staged.Proves(file.Handle, p, hasher, cancel))))
            {
                throw new MuktaException(
                    ExitCode.Blocked, "The new bytes do not read back as they should.", put.Path,
                    "The old ones are kept. Check the system's log for disk errors, and test the machine's memory.");
            }
        }

        if (install.Look(put.Path)!.Value.Mode != built.Mode)
            area.SetMode(put.Path, built.Mode);
        install.RemoveFile(staged.Path);
    }

    private static MuktaException Swapped(PutFile put) => new(
        ExitCode.Blocked, "Something else changed the new file before it was in its place.", put.Path,
        "Find out what writes to the install and end it, then run the same command again.");

    private void RefuseChanged(PutFile put)
    {
        // What an interrupted run had begun with a file may have been taken back since it was verified, and another of its names may have
        // been replaced: that shows in its time of change only.
        if (put.Replaces is { } old && install.Look(put.Path) is { } there
            && !there.IsSameAs(IsResumed || old.Links > 1 ? old with { ChangedNs = there.ChangedNs } : old))
        {
            throw new MuktaException(
                ExitCode.Blocked, "The file changed during the repair, so it was left alone.", put.Path,
                "Close what writes to it, then run the same command again.");
        }
    }

    /// <summary>The folders that files of one batch go to: each is made once, and is open until the batch is placed.</summary>
    private sealed class EnsuredFolders(Folder install, KeptArea area) : IDisposable
    {
        private readonly Dictionary<string, IDisposable> open = new(StringComparer.Ordinal);

        public void Ensure(string folder)
        {
            if (open.ContainsKey(folder))
                return;
            area.EnsureFolder(folder);
            open.Add(folder, install.HoldOpen([folder]));
        }

        public void Dispose()
        {
            foreach (var folder in open.Values)
                folder.Dispose();
        }
    }
}
