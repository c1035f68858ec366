using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Hashing;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Repair.Damage;
using Mukta.Verification;
using Serilog;

namespace Mukta.Repair;

/// <summary>
/// Applies a repair plan. New bytes are staged, proven and flushed before anything that is in the install is moved;
/// what is moved or replaced goes to the kept files; at the end the install is verified again.
/// </summary>
/// <param name="time">For dates and waits.</param>
/// <param name="log">Takes diagnostics.</param>
/// <param name="guard">Knows who uses the install; asked again right before anything is touched.</param>
public sealed class Repairer(TimeProvider time, ILogger log, RunningGuard guard)
{
    /// <summary>Told of the operation and of the folder in which it keeps something, once it has begun.</summary>
    public Action<OperationHeader, string>? Begun { get; init; }

    /// <summary>What the download keeps to.</summary>
    public FetchLimits Limits { get; init; } = new();

    /// <summary>
    /// An older copy of the same install, whose good pieces are taken first; null for none. See <see cref="RepairPlan.BesideDonor"/>.
    /// </summary>
    public Folder? Donor { get; init; }

    /// <summary>The machine, for the number of the operation; null if nothing is remembered of it.</summary>
    public OperationHome? Home { get; init; }

    /// <summary>True for a folder that nobody uses yet: its record need not outlast a loss of power.</summary>
    public bool IsNewTree { get; init; }

    /// <summary>Does what the plan says.</summary>
    /// <param name="prepared">The plan, and what it was made from.</param>
    /// <param name="install">The install.</param>
    /// <param name="sources">Where bytes come from, first choice first.</param>
    /// <param name="meter">Counts the work while it is done.</param>
    /// <param name="cancel">Interrupts between steps; what is done is kept, and the same repair goes on from there.</param>
    /// <exception cref="MuktaException">Nothing can be done: no source, no room, no right to write, another run at work.</exception>
    public async Task<RepairOutcome> RepairAsync(
        PreparedRepair prepared, Folder install, IReadOnlyList<ISource> sources, WorkMeter? meter, CancellationToken cancel)
    {
        var (before, plan, local) = prepared;
        if (plan.IsEmpty)
        {
            EndWhatWasInterrupted(before.Manifest, install);
            return new RepairOutcome { Plan = plan, After = before };
        }

        meter?.Begin("asking the sources", 0);
        await ProveSourcesAsync(plan, sources, cancel).ConfigureAwait(false);
        using var held = InstallLock.Take(install, time);
        Room.Prove(
            install.Path, RoomFor(plan.Puts, install), plan.NamesMade, "the repair",
            "Make room on this disk, then run the same command again.");
        guard.Refuse([install.RealPath], []);
        install.EnsureFolder(PlanRunner.StagingFolder);
        NamesOnDisk.Refuse(
            before.Manifest, plan.Steps.Where(s => s is PutFile or PutLink).Select(s => s.Path), FileSystemCapabilities.Of(install.Path),
            (one, other) => NamesOnDisk.AreOne(install, PlanRunner.StagingFolder, one, other), install.Path);

        var left = Interrupted(before.Manifest, install);
        var header = left?.Header ?? OperationHeader.New("repair", before.Manifest.Product, before.Manifest.Release, time) with
        {
            Sequence = OperationSequence.Next(Home, OperationRecord.In(install, KeptArea.OfInstall)),
        };
        var operation = header.Operation;
        using var area = left is null ? KeptArea.Begin(install, KeptArea.OfInstall, header, !IsNewTree)
            : KeptArea.Resume(install, left.Path, !IsNewTree);
        Begun?.Invoke(header, Path.Join(install.RealPath, KeptArea.OfInstall));
        using var fetcher = new Fetcher(sources, Limits, time, meter, log)
        {
            Group = MessageHasher.For(plan.BytesToFetch) is { } hasher ? new PieceGroup(hasher) : null,
        };
        var runner = new PlanRunner(install, area, plan, fetcher)
        {
            Local = local,
            Donor = Donor,
            IsResumed = left is not null,
            Scan = new DamageScan(before.Manifest, plan.Older),
        };
        meter?.Begin("fetching", plan.BytesToFetch);
        var begun = time.GetTimestamp();
        await runner.RunAsync(cancel).ConfigureAwait(false);
        IReadOnlyList<FoundCause> causes = [.. DamageReading.Of(before), .. DamageReading.Together(runner.Results.Causes)];
        area.Note(RepairNotes.Of(fetcher.Tallies.Sum(t => t.Bytes), time.GetElapsedTime(begun), before.Manifest.TotalSize, causes));
        if (runner.Results.Failures.IsEmpty)
        {
            PlanRunner.ClearStaging(install);
            area.End();
        }

        // Written down while the install is verified: for many files both take their time.
        var writing = runner.Results.Failures.IsEmpty && plan.LeftOpen.Count == 0
            ? Task.Run(() => InstalledRelease.TryStage(install, before.Manifest), CancellationToken.None) : Task.FromResult(false);
        var trusted = Both(before.Proven, runner.Results.Proven);
        VerifyResult after;
        try
        {
            after = new Verifier(time).Verify(
                before.Manifest, install, new VerifyOptions { Meter = meter, RememberProven = true, Trusted = trusted }, cancel);
        }
        finally
        {
            await ((Task)writing).ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        }

        if (await writing.ConfigureAwait(false))
            InstalledRelease.TryPut(install, after.IsIntact);
        return new RepairOutcome
        {
            Plan = plan,
            Operation = operation,
            KeptAt = area.KeepsSomething ? area.Path : null,
            StepsDone = runner.Results.Done,
            Sources = fetcher.Tallies,
            BytesElsewhere = local?.Taken ?? 0,
            Causes = causes,
            Failures = [.. runner.Results.Failures.OrderBy(f => f.Path, StringComparer.Ordinal)],
            After = after,
        };
    }

    /// <summary>
    /// The repair that was interrupted before it came to its end; null if none was. The same repair goes on with it, so that one undo
    /// undoes all of it.
    /// </summary>
    public static OperationRecord? Interrupted(Manifest manifest, Folder install)
    {
        var records = OperationRecord.In(install, KeptArea.OfInstall);
        return records.LastOrDefault(r => r.Header.Undoes is null) is { IsEnded: false, IsUndone: false, Header.Command: "repair" } last
            && (last.Header.Product, last.Header.Release) == (manifest.Product, manifest.Release)
            && !records.Any(r => r.Header.Undoes == last.Header.Operation)
            ? last : null;
    }

    /// <summary>The room that files still need: what an interrupted run has fetched of one has its own already.</summary>
    private static long RoomFor(IEnumerable<PutFile> puts, Folder install)
    {
        var hasStaged = PlanRunner.HasStaged(install);
        return puts.Sum(p => p.ExtraSpace - Math.Min(p.ExtraSpace, hasStaged ? StagedBytes(p) : 0));

        long StagedBytes(PutFile put)
        {
            var path = StagedFile.PathOf(PlanRunner.StagingFolder, put.File);
            return install.Look(path) is { Kind: NodeKind.File } ? install.AllocatedBytes(path) : 0;
        }
    }

    /// <summary>An interrupted repair may have had nothing left to do but to write that down.</summary>
    private void EndWhatWasInterrupted(Manifest manifest, Folder install)
    {
        if (Interrupted(manifest, install) is null)
            return;
        using var held = InstallLock.Take(install, time);
        if (Interrupted(manifest, install) is { } left)
        {
            using var area = KeptArea.Resume(install, left.Path);
            PlanRunner.ClearStaging(install);
            area.End();
        }
    }

    /// <summary>What was proven before, and by the repair itself.</summary>
    private static Dictionary<string, Node> Both(IReadOnlyDictionary<string, Node> before, IReadOnlyDictionary<string, Node> since)
    {
        var both = new Dictionary<string, Node>(before, StringComparer.Ordinal);
        foreach (var (path, node) in since)
            both[path] = node;
        return both;
    }

    /// <summary>Before anything is touched: at least one source answers for the first file that is needed.</summary>
    internal static async Task ProveSourcesAsync(RepairPlan plan, IReadOnlyList<ISource> sources, CancellationToken cancel)
    {
        if (plan.Puts.FirstOrDefault(p => p.BytesToFetch > 0) is not { } first)
            return;
        if (sources.Count == 0)
        {
            throw new MuktaException(
                ExitCode.NoSource, "No source to download from: none is given, and the manifest lists no mirror.",
                PathBytes.Shown(first.Path), "Name a mirror or a folder with --from.");
        }

        if (sources.All(s => s is LeftOutSource))
        {
            throw new MuktaException(
                ExitCode.NoSource, "The mirrors are on the network, and --offline leaves the network out, so nothing was changed.",
                string.Join("\n", sources.Select(s => PathBytes.Shown(s.Name))),
                "Name a folder that holds the release's files with --from, or leave --offline out.");
        }

        var reasons = new List<string>();
        foreach (var source in sources)
        {
            try
            {
                await source.ProbeAsync(first.File, cancel).ConfigureAwait(false);
                return;
            }
            catch (SourceException e)
            {
                reasons.Add($"{source.Name} {e.Reason}");
            }
        }

        throw new MuktaException(
            ExitCode.NoSource, "No source can deliver, so nothing was changed.", string.Join("\n  ", reasons),
            "Check the network and the address, or name another mirror or a folder with --from.");
    }
}
