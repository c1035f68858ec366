using Mukta.Disk;
using Mukta.Fetching;
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

    private const int FilesAtATime = 6;
    private const int MostInBatch = 256;
    private const long MostBytesInBatch = 64 << 20;

    /// <summary>What has come of the steps.</summary>
    public StepResults Results { get; } = new();

    /// <summary>What was found elsewhere on this machine; null if nobody looked.</summary>
    public LocalPieces? Local { get; init; }

    /// <summary>An older copy of the same install, whose good pieces are taken first; null for none.</summary>
    public Folder? Donor { get; init; }

    /// <summary>True if the operation goes on after an interruption.</summary>
    public bool IsResumed { get; init; }

    /// <summary>Tells what damage looks like; null if nobody wants to know.</summary>
    public DamageScan? Scan { get; init; }

    /// <summary>True for what belongs to one run of mukta on an install, and is of no use in a copy.</summary>
    public static bool IsOfARun(string path) => path is OwnFolder.Name + "/lock" or StagingFolder;

    /// <summary>True if an interrupted run has left something in staging.</summary>
    public static bool HasStaged(Folder install) =>
        install.Look(StagingFolder) is not null && TreeWalk.NamesIn(install, StagingFolder).Count > 0;

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
        var placer = new BatchPlacer(install, area, plan, Results) { IsResumed = IsResumed, Scan = Scan };
        var builder = new FileBuilder(install, fetcher, Local, Donor, Results);
        DoTogether([.. plan.Steps.OfType<FixMode>()], f => area.ModeChange(f.Path, f.To), cancel);
        Each(plan.Steps.OfType<FixCase>(), Rename, cancel);
        DoTogether([.. plan.Steps.OfType<HoldAway>().Where(h => h.IsStray)], h => new SetAside(h.Path), cancel);
        Each(plan.Steps.OfType<PutLink>(), l => Put(l, placer), cancel);

        List<Batch> batches = [.. Batches(plan.Puts)];
        using var staging = install.HoldOpen([StagingFolder]);
        using var stopping = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        using var room = new SemaphoreSlim(2 * MostInBatch);
        var placing = PlaceAllAsync(batches, placer, room, stopping);
        try
        {
            var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime, CancellationToken = stopping.Token };
            await Parallel.ForEachAsync(batches.SelectMany(b => b.Puts), parallel, async (building, token) =>
            {
                await room.WaitAsync(token).ConfigureAwait(false);
                StagedPut? built = null;
                try
                {
                    built = await builder.BuildAsync(building.Put, token).ConfigureAwait(false);
                }
                finally
                {
                    building.Built.TrySetResult(built);
                }
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
                Results.Count(step.Path, failure);
        }
    }

    private void Each<T>(IEnumerable<T> steps, Action<T> act, CancellationToken cancel)
        where T : RepairStep
    {
        foreach (var step in steps)
        {
            cancel.ThrowIfCancellationRequested();
            Results.Count(step.Path, StepResults.Tried(() => act(step)));
        }
    }

    private static async Task PlaceAllAsync(
        IReadOnlyList<Batch> batches, BatchPlacer placer, SemaphoreSlim room, CancellationTokenSource stopping)
    {
        try
        {
            foreach (var batch in batches)
            {
                var built = await Task.WhenAll(batch.Puts.Select(p => p.Built.Task)).ConfigureAwait(false);
                placer.Place([.. built.OfType<StagedPut>()], stopping.Token);
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

    private void Put(PutLink put, BatchPlacer placer)
    {
        placer.MakeWay(put.Path);
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

    private void Rename(FixCase fix)
    {
        area.EnsureFolder(Folder.ParentOf(fix.Path));
        area.Rename(fix.From, fix.Path);
        if (fix.Mode is { } mode)
            area.SetMode(fix.Path, mode);
        area.RemoveEmptyFolders(Folder.ParentOf(fix.From));
    }

    /// <summary>A file that is being built.</summary>
    private sealed record Building(PutFile Put)
    {
        public TaskCompletionSource<StagedPut?> Built { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }

    /// <summary>Files that are placed together.</summary>
    private sealed record Batch(IReadOnlyList<Building> Puts);
}
