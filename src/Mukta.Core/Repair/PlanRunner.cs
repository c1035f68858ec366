using System.Collections.Concurrent;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair.Damage;

namespace Mukta.Repair;

/// <summary>
/// Carries out the steps of one plan. Files are built side by side. Finished ones are put in their places in batches that share their
/// flushes, bounded in files and bytes, while the next ones are built.
/// </summary>
internal sealed class PlanRunner(Folder install, KeptArea area, RepairPlan plan, Fetcher fetcher)
{
    public const string StagingFolder = OwnFolder.Name + "/staging";

    private const int UsualFileMode = 0b110_100_100;
    private const int FilesAtATime = 6;
    private const int MostInBatch = 256;
    private const long MostBytesInBatch = 64 << 20;

    /// <summary>From so many files on one flush of the whole disk is sooner done than one of each.</summary>
    private const int ManyFiles = 8;

    private readonly Dictionary<string, HoldAway> inTheWay =
        plan.Steps.OfType<HoldAway>().Where(h => !h.IsStray).ToDictionary(h => h.Path, StringComparer.Ordinal);

    private readonly ConcurrentDictionary<string, Node> folders = new(StringComparer.Ordinal);
    private readonly long bytesToBuild = plan.Puts.Sum(p => p.File.Size);
    private int stepsDone;

    public ConcurrentQueue<RepairFailure> Failures { get; } = [];

    public int StepsDone => stepsDone;

    /// <summary>What was found elsewhere on this machine; null if nobody looked.</summary>
    public LocalPieces? Local { get; init; }

    /// <summary>An older copy of the same install, whose good pieces are taken first; null for none.</summary>
    public Folder? Donor { get; init; }

    /// <summary>True if the operation goes on after an interruption.</summary>
    public bool IsResumed { get; init; }

    /// <summary>Tells what damage looks like; null if nobody wants to know.</summary>
    public DamageScan? Scan { get; init; }

    /// <summary>What the damage of single files looks like.</summary>
    public ConcurrentBag<(string Path, FoundCause Cause)> Causes { get; } = [];

    /// <summary>Files whose bytes were proven on the disk, as they were right afterwards.</summary>
    public ConcurrentDictionary<string, Node> Proven { get; } = new(StringComparer.Ordinal);

    /// <summary>True for what belongs to one run of mukta on an install, and is of no use in a copy.</summary>
    public static bool IsOfARun(string path) => path is OwnFolder.Name + "/lock" or StagingFolder;

    /// <summary>Removes what interrupted runs have left in staging, once it is of no use.</summary>
    public static void ClearStaging(Folder install)
    {
        if (install.Look(StagingFolder) is null)
            return;
        foreach (var name in TreeWalk.NamesIn(install, StagingFolder))
            TreeBulk.Remove(install, $"{StagingFolder}/{name}", CancellationToken.None);
        install.TryRemoveEmptyFolder(StagingFolder);
        install.Flush(OwnFolder.Name);
    }

    /// <summary>Carries out the plan.</summary>
    /// <exception cref="DiskException">The disk is full, or fails permanently; what is done is kept.</exception>
    public async Task RunAsync(CancellationToken cancel)
    {
        Local?.HoldOpen(plan);
        DoTogether([.. plan.Steps.OfType<FixMode>()], f => area.ModeChange(f.Path, f.To), cancel);
        Each(plan.Steps.OfType<FixCase>(), Rename, cancel);
        DoTogether([.. plan.Steps.OfType<HoldAway>().Where(h => h.IsStray)], h => new SetAside(h.Path), cancel);
        Each(plan.Steps.OfType<PutLink>(), Put, cancel);

        List<Batch> batches = [.. Batches(plan.Puts)];
        using var staging = install.HoldOpen([StagingFolder]);
        using var stopping = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        using var room = new SemaphoreSlim(2 * MostInBatch);
        var placing = PlaceAllAsync(batches, room, stopping);
        try
        {
            var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime, CancellationToken = stopping.Token };
            await Parallel.ForEachAsync(batches.SelectMany(b => b.Puts), parallel, async (building, token) =>
            {
                await room.WaitAsync(token).ConfigureAwait(false);
                await BuildAsync(building, token).ConfigureAwait(false);
            }).ConfigureAwait(false);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            // What has stopped the placing is thrown below.
        }
        finally
        {
            foreach (var open in batches.SelectMany(b => b.Puts))
                open.Built.TrySetCanceled(CancellationToken.None);
            await placing.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
            foreach (var left in batches.SelectMany(b => b.Puts).Where(p => p.Built.Task.IsCompletedSuccessfully))
                left.Built.Task.Result?.Staged.Dispose();
        }

        await placing.ConfigureAwait(false);
        area.Flush();
    }

    /// <summary>Files in the plan's order, so many to a batch: what is in one does not depend on which file comes first.</summary>
    private static IEnumerable<Batch> Batches(IEnumerable<PutFile> puts)
    {
        var (batch, bytes) = (new List<Building>(), 0L);
        foreach (var put in puts)
        {
            if (batch.Count == MostInBatch || (batch.Count > 0 && bytes + put.File.Size > MostBytesInBatch))
            {
                yield return new Batch(batch);
                (batch, bytes) = ([], 0);
            }

            batch.Add(new Building(put));
            bytes += put.File.Size;
        }

        if (batch.Count > 0)
            yield return new Batch(batch);
    }

    /// <summary>
    /// Steps that do not depend on each other share their flushes. What is in the way stays until its successor is proven.
    /// </summary>
    private void DoTogether<T>(IReadOnlyList<T> steps, Func<T, Change> change, CancellationToken cancel)
        where T : RepairStep
    {
        foreach (var batch in steps.Chunk(MostInBatch))
        {
            cancel.ThrowIfCancellationRequested();
            foreach (var (step, failure) in batch.Zip(area.Do([.. batch.Select(change)])))
                Count(step.Path, failure);
        }
    }

    private void Each<T>(IEnumerable<T> steps, Action<T> act, CancellationToken cancel)
        where T : RepairStep
    {
        foreach (var step in steps)
        {
            cancel.ThrowIfCancellationRequested();
            Count(step.Path, Tried(() => act(step)));
        }
    }

    private void Count(string path, Exception? failure)
    {
        if (failure is null)
            stepsDone++;
        else
            Fail(path, failure);
    }

    /// <summary>Builds one file in staging and hands it on; nothing if it cannot be built.</summary>
    private async Task BuildAsync(Building building, CancellationToken cancel)
    {
        var put = building.Put;
        StagedFile? staged = null;
        try
        {
            staged = StagedFile.Open(install, StagingFolder, put.File, put.Way == PutWay.Patch ? put.Fetch : null, cancel);
            if (put.Replaces is not null && put is { IsFresh: false, Way: not PutWay.Patch })
            {
                using var old = install.OpenRead(put.Path);
                staged.TakeFrom(old, cancel);
            }

            if (!put.IsFresh && Donor?.Look(put.Path) is { Kind: NodeKind.File })
            {
                using var donor = Donor.OpenRead(put.Path);
                staged.TakeFrom(donor, cancel);
            }

            if (!put.IsFresh)
                Local?.Fill(staged, cancel);
            if (await fetcher.FetchAsync(staged, cancel).ConfigureAwait(false) is { } reason)
            {
                Failures.Enqueue(new RepairFailure(put.Path, reason, ExitCode.NoSource));
                return;
            }

            var like = Like(put);
            staged.SetMetadata(like.User, like.Group, like.Mode);
            staged.BeginFlush();
            building.Built.SetResult(new StagedPut(put, staged, like.Mode));
            staged = null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            Fail(put.Path, e);
        }
        finally
        {
            staged?.Dispose();
            building.Built.TrySetResult(null);
        }
    }

    private async Task PlaceAllAsync(IReadOnlyList<Batch> batches, SemaphoreSlim room, CancellationTokenSource stopping)
    {
        try
        {
            foreach (var batch in batches)
            {
                var built = await Task.WhenAll(batch.Puts.Select(p => p.Built.Task)).ConfigureAwait(false);
                PlaceTogether([.. built.OfType<StagedPut>()], stopping.Token);
                foreach (var placed in built.OfType<StagedPut>())
                    placed.Staged.Dispose();
                room.Release(batch.Puts.Count);
            }
        }
        catch (OperationCanceledException)
        {
            // The building was stopped; what it throws says why.
        }
        catch
        {
            await stopping.CancelAsync().ConfigureAwait(false);
            throw;
        }
    }

    /// <summary>Proves a batch of built files on the disk and puts them in their places.</summary>
    private void PlaceTogether(IReadOnlyList<StagedPut> batch, CancellationToken cancel)
    {
        var proven = ReadBack(Flushed(batch), cancel);
        foreach (var patch in proven.Where(p => p.Put.Way == PutWay.Patch))
            Count(patch.Put.Path, Tried(() => Patch(patch, cancel)));
        var ensured = new HashSet<string>(StringComparer.Ordinal);
        var ready = proven.Where(p => p.Put.Way != PutWay.Patch && Does(p, () => Ready(p, ensured))).ToList();
        using var held = install.HoldOpen(ensured);
        if (ready.Count > 0)
        {
            // Where there are no hard links, what an interrupted run had moved away comes back only now: it was missing before.
            var changes = ready.Select(r => (IsResumed || r.Put.Replaces is not null) && install.Look(r.Put.Path) is not null
                ? (Change)new Replaced(r.Put.Path, r.Staged.Path) : new Placed(r.Put.Path, r.Staged.Path));
            foreach (var (put, failure) in ready.Zip(area.Do([.. changes])))
                Count(put.Put.Path, failure ?? (put.Staged.IsAsReadBackIn(install.Look(put.Put.Path)) ? null : Swapped(put.Put)));
        }

        foreach (var path in proven.Select(p => p.Put.Path))
        {
            if (install.Look(path) is { Kind: NodeKind.File } there)
                Proven[path] = there;
        }

        foreach (var failed in Failures)
            Proven.TryRemove(failed.Path, out _);
    }

    /// <summary>Flushes built files to the disk; answers which could be.</summary>
    private List<StagedPut> Flushed(IReadOnlyList<StagedPut> batch)
    {
        if (batch.Count >= ManyFiles && install.TryFlushAll())
            return [.. batch];
        var failures = new Exception?[batch.Count];
        var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime };
        Parallel.For(0, batch.Count, parallel, i => failures[i] = Tried(batch[i].Staged.Flush));
        for (var i = 0; i < batch.Count; i++)
        {
            if (failures[i] is { } failure)
                Fail(batch[i].Put.Path, failure);
        }

        return [.. batch.Where((_, i) => failures[i] is null)];
    }

    /// <summary>Reads flushed files back from the disk, all together; answers which are as published.</summary>
    private List<StagedPut> ReadBack(List<StagedPut> flushed, CancellationToken cancel)
    {
        List<OpenFileRanges> ranges = [.. flushed.Select(f => f.Staged.ToReadBack())];
        RangeHasher.Run(ranges, null, cancel, ofBytes: bytesToBuild);
        return
        [
            .. flushed.Where((built, i) => Does(built, () =>
            {
                built.Staged.RefuseUnlessReadBack(ranges[i], cancel);
                Examine(built.Put, built.Staged, cancel);
            })),
        ];
    }

    /// <summary>Does something with a built file. False if it fails, and then the failure is noted.</summary>
    private bool Does(StagedPut built, Action act)
    {
        var failure = Tried(act);
        if (failure is not null)
            Fail(built.Put.Path, failure);
        return failure is null;
    }

    /// <summary>Makes way for a file, and the folders that it is to be in.</summary>
    private void Ready(StagedPut built, HashSet<string> ensured)
    {
        var put = built.Put;
        if (!built.Staged.IsAsReadBack(install.Look(built.Staged.Path)))
            throw Swapped(put);
        RefuseChanged(put, install.Look(put.Path));
        MakeWay(put.Path);
        var folder = Folder.ParentOf(put.Path);
        if (ensured.Contains(folder))
            return;
        area.EnsureFolder(folder);
        ensured.Add(folder);
    }

    /// <summary>While the bad and the good bytes are both at hand: what does the damage look like?</summary>
    private void Examine(PutFile put, StagedFile staged, CancellationToken cancel)
    {
        if (Scan is null || put is not { Replaces: { Kind: NodeKind.File } old, IsFresh: false })
            return;
        using var file = install.OpenRead(put.Path);
        if (DamageReading.Of(
            Scan.Compare(put.File, (file, old.Size), staged.Handle, put.Fetch, put.Way != PutWay.Patch, cancel)) is { } cause)
            Causes.Add((put.Path, cause));
    }

    /// <summary>Overwrites the bad pieces in place, then hashes them from the file.</summary>
    private void Patch(StagedPut built, CancellationToken cancel)
    {
        var (put, staged) = (built.Put, built.Staged);
        RefuseChanged(put, install.Look(put.Path));
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

    private void RefuseChanged(PutFile put, Node? now)
    {
        // What an interrupted run had begun with a file may have been taken back since it was verified, and another of its names may have
        // been replaced: that shows in its time of change only.
        if (put.Replaces is { } old && now is { } there
            && !there.IsSameAs(IsResumed || old.Links > 1 ? old with { ChangedNs = there.ChangedNs } : old))
        {
            throw new MuktaException(
                ExitCode.Blocked, "The file changed during the repair, so it was left alone.", put.Path,
                "Close what writes to it, then run the same command again.");
        }
    }

    private void Put(PutLink put)
    {
        MakeWay(put.Path);
        area.EnsureFolder(Folder.ParentOf(put.Path));
        if (put.Holds)
            area.SetAside(put.Path);
        var staged = $"{StagingFolder}/link";
        if (install.Look(staged) is not null)
            install.RemoveFile(staged);
        install.MakeLink(staged, put.Link.Target);
        var like = install.Look(Folder.ParentOf(put.Path) is { Length: > 0 } folder ? folder : ".")!.Value;
        install.SetOwner(staged, like.User, like.Group);
        area.Place(staged, put.Path);
    }

    /// <summary>Sets aside what the plan knows to be in a path's way: at the path, or where a folder on its way belongs.</summary>
    private void MakeWay(string path)
    {
        foreach (var blocked in ManifestPath.Folders(path).Append(path))
        {
            if (!inTheWay.Remove(blocked))
                continue;
            area.SetAside(blocked);
            stepsDone++;
        }
    }

    private void Rename(FixCase fix)
    {
        area.EnsureFolder(Folder.ParentOf(fix.Path));
        area.Rename(fix.From, fix.Path);
        if (fix.Mode is { } mode)
            area.SetMode(fix.Path, mode);
        area.RemoveEmptyFolders(Folder.ParentOf(fix.From));
    }

    /// <summary>What a new file's owner, group and mode are taken from: the file it replaces, else its folder.</summary>
    private Node Like(PutFile put)
    {
        if (put.Replaces is { } old)
            return old with { Mode = put.File.Mode is { } asked ? RepairPlan.NewMode(old.Mode, asked) : old.Mode };
        var folder = folders.GetOrAdd(
            Folder.ParentOf(put.Path),
            path => ManifestPath.Folders(path).Append(path).Where(f => f.Length > 0).Reverse().Select(f => install.Look(f))
                .FirstOrDefault(n => n is { Kind: NodeKind.Folder }) ?? install.Look(".")!.Value);
        return folder with { Mode = RepairPlan.NewMode(folder.Mode & 0x1FF, put.File.Mode ?? UsualFileMode) };
    }

    /// <summary>A disk that is full would fail for all files that follow too.</summary>
    private void Fail(string path, Exception failure)
    {
        if (failure is DiskException { Errno: DiskException.NoSpace or DiskException.QuotaExceeded })
            System.Runtime.ExceptionServices.ExceptionDispatchInfo.Throw(failure);
        Failures.Enqueue(failure is MuktaException known ? new RepairFailure(path, known.What.TrimEnd('.'), known.Code)
            : new RepairFailure(path, $"the disk fails: {failure.Message.TrimEnd('.')}", ExitCode.Blocked));
    }

    private static Exception? Tried(Action act)
    {
        try
        {
            act();
            return null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return e;
        }
    }

    /// <summary>A file that is built and not yet placed.</summary>
    private sealed record StagedPut(PutFile Put, StagedFile Staged, int Mode);

    /// <summary>A file that is being built.</summary>
    private sealed record Building(PutFile Put)
    {
        public TaskCompletionSource<StagedPut?> Built { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    /// <summary>Files that are placed together.</summary>
    private sealed record Batch(IReadOnlyList<Building> Puts);
}
