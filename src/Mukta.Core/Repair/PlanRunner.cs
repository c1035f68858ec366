using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Operations;
using Mukta.Repair.Damage;
using Mukta.Repair.Local;

namespace Mukta.Repair;

/// <summary>
/// Carries out the steps of one plan. Files are built side by side. Finished ones are put in their places in batches that share their
/// flushes, bounded in files and bytes, while the next ones are built.
/// </summary>
internal sealed class PlanRunner(Folder install, KeptArea area, RepairPlan plan, Fetcher fetcher)
{
    public const string StagingFolder = OwnFolder.Name + "/staging";

    /// <summary>Enough that short ones, while they wait to be proven together, keep none from being asked for.</summary>
    private const int FilesAtATime = 24;

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
        using var more = OpenFileLimit.Raise(BatchQueue.WantedOpen);
        Local?.HoldOpen(plan);
        var placer = new BatchPlacer(install, area, plan, Results) { IsResumed = IsResumed, Scan = Scan };
        using var builder = new FileBuilder(install, fetcher, Local, Donor, Results);
        DoTogether([.. plan.Steps.OfType<FixMode>()], f => area.ModeChange(f.Path, f.To), cancel);
        Each(plan.Steps.OfType<FixCase>(), Rename, cancel);
        DoTogether([.. plan.Steps.OfType<HoldAway>().Where(h => h.IsStray)], h => new SetAside(h.Path), cancel);
        Each(plan.Steps.OfType<PutLink>(), l => Put(l, placer), cancel);

        using var batches = new BatchQueue();
        using var staging = install.HoldOpen([StagingFolder]);
        using var stopping = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        var placing = PlaceAllAsync(batches, placer, stopping);
        try
        {
            var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime, CancellationToken = stopping.Token };
            await Parallel.ForEachAsync(batches.FilesAsync(plan.Puts, stopping.Token), parallel, async (building, token) =>
            {
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
            await placing.ConfigureAwait(false);
        }
        catch (OperationCanceledException) when (!cancel.IsCancellationRequested)
        {
            // What has stopped the placing is thrown below.
        }
        finally
        {
            await stopping.CancelAsync().ConfigureAwait(false);
            await placing.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        await placing.ConfigureAwait(false);
        area.Flush();
    }

    /// <summary>
    /// Steps that do not depend on each other share their flushes. What is in the way stays until its successor is proven.
    /// </summary>
    private void DoTogether<T>(IReadOnlyList<T> steps, Func<T, Change> change, CancellationToken cancel)
        where T : RepairStep
    {
        foreach (var batch in steps.Chunk(BatchQueue.MostInBatch))
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

    /// <summary>Places the batches in order. While one is placed the next is flushed, and more are built.</summary>
    private static async Task PlaceAllAsync(BatchQueue batches, BatchPlacer placer, CancellationTokenSource stopping)
    {
        var placing = Task.CompletedTask;
        try
        {
            await foreach (var batch in batches.ReadAsync(stopping.Token).ConfigureAwait(false))
            {
                var flushed = placer.Flushed(await batch.BuiltAsync(stopping.Token).ConfigureAwait(false));
                await placing.ConfigureAwait(false);
                placing = Task.Run(() => Place(batch, flushed), CancellationToken.None);
            }

            await placing.ConfigureAwait(false);
        }
        catch (OperationCanceledException)
        {
            await placing.ConfigureAwait(false); // Says why, if it was the placing that failed.
        }
        catch
        {
            await stopping.CancelAsync().ConfigureAwait(false);
            throw;
        }
        finally
        {
            await placing.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        void Place(Batch batch, IReadOnlyList<StagedPut> flushed)
        {
            try
            {
                placer.Place(flushed, stopping.Token);
                batches.Done(batch);
            }
            catch
            {
                stopping.Cancel(); // Nothing more is to be built.
                throw;
            }
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
}
