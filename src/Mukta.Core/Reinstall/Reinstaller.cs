using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Operations;
using Mukta.Repair;
using Mukta.Setup;
using static Mukta.Reinstall.ReinstallStep;

namespace Mukta.Reinstall;

/// <summary>
/// Replaces installs. The new tree is built and proven beside the old one before anything is taken away, from the old one's
/// good pieces wherever it can; then they change places at once, and the old one is kept. So at every moment the old or the
/// new install is in its place, but for the time that a vendor's own remove runs. Everything is one operation: interrupted
/// anywhere the same command goes on, and one undo brings back all that Mukta has changed.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="tools">What it works with.</param>
public sealed class Reinstaller(Machine machine, OperationTools tools)
{
    internal Machine Machine => machine;

    internal OperationTools Tools => tools;

    /// <summary>What downloads keep to.</summary>
    public FetchLimits Limits { get; init; } = new();

    /// <summary>Folders on this machine in which to look for pieces before the network is asked.</summary>
    public IReadOnlyList<string> Also { get; init; } = [];

    /// <summary>Proves, before anything is touched, all that the plan depends on: sources, room, rights.</summary>
    /// <param name="targets">The installs.</param>
    /// <param name="isNew">False to go on with an operation that was interrupted: what it has built takes no room any more.</param>
    /// <param name="cancel">Ends it.</param>
    /// <exception cref="MuktaException">Something is missing.</exception>
    public async Task ProveAsync(IReadOnlyList<ReinstallTarget> targets, bool isNew, CancellationToken cancel)
    {
        foreach (var target in targets)
        {
            ProveRights(target);
            if (target.Profile.Setup is { } setup && (target.RunsInstall || target.RunsRemove)
                && target.Manifest.Files.All(f => f.Path != setup.Program))
                throw new MuktaException(
                    ExitCode.NotTrusted, "The manifest does not list the setup program, so nothing vouches for it.",
                    PathBytes.Shown(setup.Program), "Check the profile's key setup: program.");
            await Repairer.ProveSourcesAsync(target.Build, target.Sources, cancel).ConfigureAwait(false);
        }

        if (isNew)
            ProveSpace(targets);
    }

    /// <summary>Does all of it, or goes on with what was interrupted.</summary>
    /// <param name="operation">The operation.</param>
    /// <param name="locks">Those of the installs that are there.</param>
    /// <param name="wish">What is wanted.</param>
    /// <param name="targets">The installs, in the order in which they are made.</param>
    /// <param name="cancel">Interrupts between steps and in the middle of long ones.</param>
    /// <exception cref="ReinstallStopped">A step has failed; the same command goes on with it.</exception>
    public async Task<ReinstallOutcome> RunAsync(
        Operation operation, InstallLocks locks, ReinstallWish wish, IReadOnlyList<ReinstallTarget> targets, CancellationToken cancel)
    {
        var started = tools.Time.GetTimestamp();
        var at = targets[0];
        try
        {
            if (operation.Interrupted is { } left && left.WaitsFor is { } boot && boot == SetupRunner.Boot)
            {
                operation.StillWaits();
                throw SetupFailure.NeedsRestart(targets[0].Profile);
            }

            var runs = targets.Select((t, i) => new TargetRun(this, operation, wish, locks, at = t, i)).ToList();
            if (operation.Notes(TargetNote).Count == 0)
            {
                operation.Main.Note(
                [
                    .. targets.Select(t => new Noted(TargetNote, t.Path, t.Profile.Product)),
                    .. targets.Where(t => !t.IsThere).Select(t => new Noted(AbsentNote, t.Path)),
                ]);
            }

            foreach (var run in runs)
            {
                at = run.Target;
                await run.PrepareAsync(cancel).ConfigureAwait(false);
            }

            var done = new List<ReinstalledTarget>();
            foreach (var run in runs)
            {
                at = run.Target;
                done.Add(await run.ChangeAsync(cancel).ConfigureAwait(false));
            }

            return new ReinstallOutcome(operation.Header.Operation, done, tools.Time.GetElapsedTime(started));
        }
        catch (Exception e) when (OperationStopped.AsMuktaException(e, at.Path) is { } told)
        {
            throw new ReinstallStopped(StateOf(operation, at.Path), operation.Header.Operation, told);
        }
    }

    private static void ProveRights(ReinstallTarget target)
    {
        var parent = ReinstallTarget.Nearest(Path.GetDirectoryName(target.Path)!);
        using var folder = Folder.Open(parent);
        if (!folder.MayChangeNamesIn(""))
        {
            throw new MuktaException(
                ExitCode.Blocked, "You may not change the folder around the install.", PathBytes.Shown(parent),
                "Run the command as its owner, or as root.");
        }

        if (Mount.Table().Any(m => m.Point == target.Path))
        {
            throw new MuktaException(
                ExitCode.Blocked, "The install is a mount point, which cannot be set aside.",
                PathBytes.Shown(target.Path), "Repair it instead with: mukta repair");
        }
    }

    private void ProveSpace(IReadOnlyList<ReinstallTarget> targets)
    {
        var kept = targets.SelectMany(t => t.UserData).Select(u => u.Size).ToList();
        IEnumerable<(string Place, long Bytes, long Names)> needs =
        [
            .. targets.Select(t => (ReinstallTarget.Nearest(t.Path), t.Build.ExtraSpace, t.Build.NamesMade)),
            (ReinstallTarget.Nearest(machine.Folders.State), kept.Sum(s => s.Bytes) * 2, kept.Sum(s => s.Files) + 100),
        ];
        foreach (var disk in needs.GroupBy(n => Node.At(n.Place)?.Device))
        {
            Room.Prove(
                disk.First().Place, disk.Sum(d => d.Bytes), disk.Sum(d => d.Names), "building the new install beside the old one",
                "Make room on this disk (mukta operations purge gives back what operations keep), or use mukta repair, which needs less.");
        }
    }
}
