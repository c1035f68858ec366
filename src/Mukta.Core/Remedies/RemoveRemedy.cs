using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Operations;
using Mukta.Setup;
using Mukta.State;
using Mukta.UserData;

namespace Mukta.Remedies;

/// <summary>
/// Takes a product out: services, the vendor's own remove, the install, leftovers, shortcuts and the record. User data stays unless it
/// is asked for, and so do installs of other products inside of this one. All that mukta itself moves is kept.
/// </summary>
public sealed class RemoveRemedy(RemedyTarget target, OperationTools tools)
    : OperationRemedy<RemedyPlan, RemedyOutcome>(target.Machine, target.Profile.Product, tools)
{
    private const string InsideNote = "inside", TargetNote = "target", UserDataNote = "user-data";

    /// <inheritdoc/>
    public override string Name => "remove";

    /// <summary>True to set the user's own data aside too.</summary>
    public bool WithUserData { get; init; }

    /// <inheritdoc/>
    protected override string RequestOf(RemedyPlan plan) => WithUserData ? "remove with user data" : "remove";

    /// <summary>The installs that an interrupted run is about.</summary>
    public static IReadOnlyList<string> InstallsOf(OperationRecord interrupted) => [.. interrupted.Notes(TargetNote).Select(n => n.Text)];

    /// <inheritdoc/>
    public override async Task<RemedyPlan> PlanAsync(CancellationToken cancel)
    {
        var (profile, machine) = (target.Profile, Machine);
        var places = new UserPlaces(machine, target.Catalog);
        var steps = new List<RemedyStep>();
        if (Tools.Services.CanChange && profile.Services.Count > 0)
        {
            var states = await Tools.Services.StatesAsync([.. profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false);
            steps.AddRange(states.Where(IsUp).Select(s => new RemedyStep(RemedyAct.StopService, s.Unit, $"it is {s.Active}, {s.Startup}")));
        }

        foreach (var install in target.Installs.Where(Directory.Exists))
        {
            if (RunsVendorRemove(install))
            {
                steps.Add(new RemedyStep(
                    RemedyAct.RunVendorRemove, Path.Join(install, profile.Setup!.Program),
                    "the vendor's own remove; a copy of the install is kept before"));
            }

            using var folder = Folder.Open(install);
            var size = TreeBulk.Measure(folder, ".", cancel);
            steps.Add(new RemedyStep(RemedyAct.SetAside, install, "the install", size.Bytes, size.Files));
            steps.AddRange(
                InsideOf(install).Select(i => new RemedyStep(RemedyAct.LeaveInPlace, Path.Join(install, i), "another product's install")));
            steps.AddRange(places.Data(
                profile, install, cancel).Where(d => d.Path.StartsWith(install + "/", StringComparison.Ordinal) && !WithUserData)
                .Select(d => new RemedyStep(RemedyAct.LeaveInPlace, d.Path, d.Why, d.Size.Bytes, d.Size.Files)));
        }

        var found = target.InstallsOrNone.ToList();
        foreach (var left in found.SelectMany(i => places.Leftovers(profile, i, cancel)).DistinctBy(p => p.Path))
        {
            steps.Add(new RemedyStep(
                left.Blocked is null ? RemedyAct.SetAside : RemedyAct.Skip, left.Path, left.Blocked ?? left.Why, left.Size.Bytes,
                left.Size.Files));
        }

        foreach (var entry in found.OfType<string>().SelectMany(i => new ShortcutLook(machine).At(profile, i))
            .Where(e => Path.Exists(e.Path)).DistinctBy(e => e.Path))
            steps.Add(new RemedyStep(RemedyAct.SetAside, entry.Path, "a shortcut", new FileInfo(entry.Path).Length, 1));
        foreach (var data in found.SelectMany(i => places.Data(profile, i, cancel)).DistinctBy(d => d.Path)
            .Where(d => !found.Any(i => i is not null && d.Path.StartsWith(i + "/", StringComparison.Ordinal))))
            steps.Add(new RemedyStep(
                WithUserData ? RemedyAct.SetAside : RemedyAct.Skip, data.Path, WithUserData ? data.Why : "is the user's own data",
                data.Size.Bytes, data.Size.Files));
        return new RemedyPlan(steps, WithUserData ? PossibleLoss.UserData : PossibleLoss.Product);
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(RemedyPlan plan) => [target.Touched(plan.SetAside, plan.Stopped)];

    /// <inheritdoc/>
    protected override IReadOnlyList<string> InstallsOf(RemedyPlan plan) => target.Installs;

    /// <inheritdoc/>
    protected override Task ProveOwnAsync(RemedyPlan plan, CancellationToken cancel)
    {
        ServiceRights.Prove(Tools, Machine, plan.Stopped);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override async Task<RemedyOutcome> DoAsync(Operation operation, InstallLocks locks, RemedyPlan plan, CancellationToken cancel)
    {
        operation.NoteTogetherOnce(TargetNote, target.Installs.Select(i => (i, (string?)null)));
        foreach (var left in plan.Steps.Where(s => s.Act == RemedyAct.LeaveInPlace))
        {
            operation.NoteOnce(
                InsideNote, operation.PathOf(left.Subject),
                operation.PathOf(target.Installs.First(i => left.Subject.StartsWith(i + "/", StringComparison.Ordinal))));
        }

        await StopServicesAsync(operation, plan, cancel).ConfigureAwait(false);
        if (!WithUserData && plan.Steps.Any(s => s.Act == RemedyAct.RunVendorRemove))
            CopyUserData(operation, cancel);
        foreach (var install in target.Installs.Where(
            i => plan.Steps.Any(s => s.Act == RemedyAct.RunVendorRemove && s.Subject.StartsWith(i + "/", StringComparison.Ordinal))))
        {
            Tools.Doing?.Invoke("running the vendor's uninstall");
            var profile = target.Profile.With(v => target.Machine.Folders.FolderOf(v, install));
            await new VendorRemove(Tools.Services, Tools.Time)
                .RunAsync(operation, install, profile, target.Manifest!, cancel).ConfigureAwait(false);
        }

        foreach (var subject in plan.SetAside)
        {
            cancel.ThrowIfCancellationRequested();
            SetAside(operation, subject);
        }

        BringInsideBack(operation);
        if (operation.Root.Look(ArchiveOf(operation)) is not null)
        {
            new UserDataReturn(operation, ArchiveOf(operation))
                .PutBack([.. operation.Notes(UserDataNote).Select(n => n.Text)], _ => false, cancel);
        }

        foreach (var install in target.Installs)
            InstallRecords.TryForget(Machine, target.Profile.Product, install);
        return new RemedyOutcome(operation.Header.Operation);
    }

    private static string ArchiveOf(Operation operation) => $"{operation.Main.Path}/user-data.tar";

    /// <summary>The vendor's remove may take the user's data with it. Once it has begun to run the copy is what counts.</summary>
    private void CopyUserData(Operation operation, CancellationToken cancel)
    {
        if (target.Installs.Any(i => operation.IsDone(VendorRemove.Step(VendorRemove.Removing, i))))
            return;
        var places = new UserPlaces(target.Machine, target.Catalog);
        List<string> data =
            [.. target.Installs.SelectMany(i => places.Data(target.Profile, i, cancel)).Select(d => operation.PathOf(d.Path))
            .Distinct(StringComparer.Ordinal)];
        if (data.Count == 0)
            return;
        Tools.Doing?.Invoke("copying user data");
        new UserDataArchive(operation.Root).Write(ArchiveOf(operation), data, null, cancel);
        foreach (var place in data)
            operation.NoteOnce(UserDataNote, place);
    }

    private static bool IsUp(ServiceState state) =>
        state.IsThere && (state.Active is not ("inactive" or "failed") || state.Startup == "enabled");

    private bool RunsVendorRemove(string install) =>
        target.Machine.IsLive && target.Manifest is { } manifest && target.Profile.Setup is { } setup && setup.Actions.ContainsKey("remove")
        && manifest.Files.FirstOrDefault(f => f.Path == setup.Program) is { } program && SetupRunner.IsPublishedIn(install, program);

    private IEnumerable<string> InsideOf(string install) =>
        target.OtherInstalls.Where(i => i.StartsWith(install + "/", StringComparison.Ordinal)).Select(i => i[(install.Length + 1)..]);

    private async Task StopServicesAsync(Operation operation, RemedyPlan plan, CancellationToken cancel)
    {
        foreach (var unit in plan.Stopped)
        {
            var state = (await Tools.Services.StatesAsync([unit], cancel).ConfigureAwait(false))[0];
            ServiceRecord.NoteOnce(operation, state);
            Tools.Doing?.Invoke($"stopping {unit}");
            if (state.Active is not ("inactive" or "failed"))
                await Tools.Services.DoAsync(ServiceAct.Stop, unit, cancel).ConfigureAwait(false);
            if (state.Startup == "enabled")
                await Tools.Services.DoAsync(ServiceAct.Disable, unit, cancel).ConfigureAwait(false);
        }
    }

    /// <summary>What stays goes back to where it was, out of what was set aside.</summary>
    private static void BringInsideBack(Operation operation)
    {
        foreach (var note in operation.Notes(InsideNote))
        {
            var (area, install) = operation.For(operation.Shown(note.Of!));
            var inside = note.Text[install.Length..];
            if (operation.Root.Look(note.Text) is not null
                || area.AllKeptOf(install).FirstOrDefault(k => operation.Root.Look(k + inside) is not null) is not { } kept)
                continue;
            area.EnsureFolder(Folder.ParentOf(note.Text));
            area.Rename(kept + inside, note.Text);
        }
    }
}
