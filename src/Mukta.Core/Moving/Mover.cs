using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Host.Shortcuts;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Reinstall;
using Mukta.Repair;
using Mukta.State;
using Mukta.Verification;

namespace Mukta.Moving;

/// <summary>What a move has done.</summary>
/// <param name="Operation">Its id.</param>
/// <param name="Plan">The plan it followed.</param>
/// <param name="LeftOut">Sockets, pipes and devices that were not copied.</param>
/// <param name="After">The verification in the new place; null if no manifest is at hand.</param>
public sealed record MoveOutcome(string Operation, MovePlan Plan, IReadOnlyList<string> LeftOut, VerifyResult? After) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => After?.IsIntact == false ? ExitCode.Problems : ExitCode.Done;
}

/// <summary>
/// Moves an install. On another file system it is copied beside its new place, every byte read back and compared, then put
/// there in one rename; shortcuts and the record follow, and only then is the old one held. Interrupted anywhere one of
/// the two is whole and in its place, and the same command goes on.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="guard">Knows who uses the install.</param>
/// <param name="time">For dates and durations.</param>
public sealed class Mover(Machine machine, RunningGuard guard, TimeProvider time)
{
    private const string Placed = "placed", WithShortcut = "shortcut-restored", SetAside = "set-aside";

    /// <summary>Clocks of file systems tick, some every two seconds (FAT).</summary>
    private static readonly TimeSpan ClockTick = TimeSpan.FromSeconds(2);

    /// <summary>Counts the bytes.</summary>
    public WorkMeter? Meter { get; init; }

    /// <summary>Where an interrupted move goes from and to; null if there is none.</summary>
    public static (string From, string To)? Interrupted(Machine machine, string product) =>
        Operation.FindInterrupted(machine.Home, "move", product)?.Notes(ReinstallStep.TargetNote).FirstOrDefault() is { } target
        ? (target.Of!, target.Text) : null;

    /// <summary>True once the install is in its new place.</summary>
    public static bool IsPlaced(Operation operation) => operation.IsDone(Placed);

    /// <summary>Does it, or goes on with what was interrupted.</summary>
    /// <param name="operation">The operation.</param>
    /// <param name="locks">Those of both places.</param>
    /// <param name="plan">The plan.</param>
    /// <param name="manifest">The release, for the verification at the end; null if there is none.</param>
    /// <param name="cancel">Interrupts; the same command goes on.</param>
    public MoveOutcome Move(Operation operation, InstallLocks locks, MovePlan plan, Manifest? manifest, CancellationToken cancel)
    {
        operation.NoteOnce(ReinstallStep.TargetNote, plan.To, plan.From);
        var leftOut = plan.IsRename || operation.IsDone(Placed) ? [] : Copy(operation, plan, cancel);
        Place(operation, plan, locks);
        Shortcuts(operation, plan, cancel);
        if (!plan.IsRename && !operation.IsDone(SetAside))
        {
            guard.Refuse([plan.From], []);
            var (area, path) = operation.For(plan.From);
            if (operation.Root.Look(path) is not null)
                area.SetAside(path);
            operation.Done(SetAside);
        }

        return new MoveOutcome(operation.Header.Operation, plan, leftOut, Verified(plan, manifest, cancel));
    }

    /// <summary>
    /// Copies the install, or what was changed in it since an interrupted run has copied it: the copy is as the install is right before it
    /// takes its place.
    /// </summary>
    private IReadOnlyList<string> Copy(Operation operation, MovePlan plan, CancellationToken cancel)
    {
        var (root, (area, _), (_, from)) = (operation.Root, operation.For(plan.To), operation.For(plan.From));
        plan.Prove(plan.Can.TriedIn(root, area.Path));
        Meter?.Begin("copying", plan.Size.Bytes);
        if (root.Look(StagedIn(area)) is null && root.Look(operation.For(plan.To).Path) is not null)
            return []; // It was put there, and only not written down.
        var copy = new TreeCopy(root, root, CopyWay.Bytes)
        {
            SuspectSinceNs = (operation.Header.Started - DateTimeOffset.UnixEpoch - ClockTick).Ticks * 100,
        };
        var staying = plan.Staying.Select(s => s.Record.Path).ToHashSet();
        return copy.Follow(from, StagedIn(area), path => PlanRunner.IsOfARun(path) || staying.Contains(path), Meter, cancel).LeftOut;
    }

    private void Place(Operation operation, MovePlan plan, InstallLocks locks)
    {
        if (operation.IsDone(Placed))
            return;
        guard.Refuse([plan.From], []);
        var root = operation.Root;
        var (area, to) = operation.For(plan.To);
        var from = plan.IsRename ? operation.For(plan.From).Path : StagedIn(area);
        if (root.Look(from) is not null && !(plan.IsRename ? operation.Main : area).HasPlaced(to))
        {
            if (root.Look(to) is not null)
            {
                throw new MuktaException(
                    ExitCode.Blocked, "Something is now in the place that the install was to move to.", PathBytes.Shown(plan.To),
                    $"Move it away and run the same command again, or go back with: mukta undo {operation.Header.Operation}");
            }

            area.EnsureFolder(Folder.ParentOf(to));
            locks.Take(operation.Shown(from)); // The lock goes with the tree into its place.
            if (plan.IsRename)
                operation.Main.Rename(from, to);
            else
                area.Place(from, to);
        }

        InstallRecords.TryPut(machine, plan.Profile.Product, plan.To, null, time);
        foreach (var (product, path) in plan.Inside)
            InstallRecords.TryPut(machine, product, Path.Join(plan.To, path), null, time);
        operation.Done(Placed);
    }

    private void Shortcuts(Operation operation, MovePlan plan, CancellationToken cancel)
    {
        if (operation.IsDone(WithShortcut))
            return;
        foreach (var change in ShortcutRestorer.Plan(new ShortcutLook(machine).At(plan.Profile, plan.To), plan.Profile.Title)
            .Where(c => c.Text is not null))
        {
            cancel.ThrowIfCancellationRequested();
            if (ShortcutRestorer.Do(operation, change).Failure is { } failure)
                throw failure;
        }

        operation.Done(WithShortcut);
    }

    private VerifyResult? Verified(MovePlan plan, Manifest? manifest, CancellationToken cancel)
    {
        if (manifest is null)
            return null;
        using var install = Folder.Open(plan.To);
        return new Verifier(time).Verify(manifest, install, new VerifyOptions { Meter = Meter, RememberProven = true }, cancel);
    }

    private static string StagedIn(KeptArea area) => $"{area.Path}/new-0";
}
