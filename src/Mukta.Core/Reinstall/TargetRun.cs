using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Setup;
using Mukta.State;
using Mukta.UserData;
using Mukta.Verification;
using static Mukta.Reinstall.ReinstallStep;

namespace Mukta.Reinstall;

/// <summary>One install on its way from the old tree to the new one. What it does is safe to do again after an interruption.</summary>
internal sealed class TargetRun
{
    private readonly Reinstaller with;
    private readonly Operation operation;
    private readonly ReinstallWish wish;
    private readonly KeptArea area;
    private readonly string path, built, archive;
    private readonly Folder root;
    private readonly InstallLocks locks;
    private string? copied;

    public TargetRun(Reinstaller with, Operation operation, ReinstallWish wish, InstallLocks locks, ReinstallTarget target, int number)
    {
        (this.with, this.operation, this.wish, this.locks, Target, root) = (with, operation, wish, locks, target, operation.Root);
        (area, path) = operation.For(target.Path);
        built = string.Create(CultureInfo.InvariantCulture, $"{area.Path}/new-{number}");
        archive = string.Create(CultureInfo.InvariantCulture, $"{operation.Main.Path}/user-data-{number}.tar");
    }

    public ReinstallTarget Target { get; }

    private Profile Profile => Target.Profile.With(v => with.Machine.Folders.FolderOf(v, Target.Path));

    /// <summary>What takes nothing away.</summary>
    public async Task PrepareAsync(CancellationToken cancel)
    {
        if (MayCopyUserData)
            CopyUserData(cancel);
        if (IsDone(Built) && (root.Look(built) is not null || IsDone(ChangedOver) || area.KeptOf(path) is not null || area.HasPlaced(path)))
            return;
        Doing("building the new install");
        Done(Built, await new NewTree(with, operation, Target, wish, built).BuildAsync(path, cancel).ConfigureAwait(false));
    }

    /// <summary>Takes the old install away and puts the new one in its place, with all that follows.</summary>
    public async Task<ReinstalledTarget> ChangeAsync(CancellationToken cancel)
    {
        if (!IsDone(ChangedOver))
        {
            await SwitchOffAsync(cancel).ConfigureAwait(false); // Again after an interruption: the machine may have started them since.
            Done(ServicesOff);
            if (MayCopyUserData && copied != new UserDataArchive(root).Fingerprint(UserPlaces, cancel))
                CopyUserData(cancel); // Building may have taken hours, in which somebody has played.
        }

        await StepAsync(Removed, RemoveAsync, cancel).ConfigureAwait(false);
        Step(ChangedOver, ChangeOver, cancel);
        Step(UserDataBack, BringUserDataBack, cancel);
        Step(LeftoversSetAside, HoldLeftovers, cancel);
        await StepAsync(SetUp, SetUpAsync, cancel).ConfigureAwait(false);
        await StepAsync(ServicesRestored, RestoreServicesAsync, cancel).ConfigureAwait(false);
        Step(ShortcutRestored, RestoreShortcuts, cancel);
        Doing("verifying");
        using var install = Folder.Open(Target.Path);
        var after = new Verifier(with.Tools.Time)
            .Verify(Target.Manifest, install, new VerifyOptions { Meter = with.Tools.Meter, RememberProven = true }, cancel);
        InstallRecords.TryPut(with.Machine, Profile.Product, Target.Path, Target.Manifest.Release, with.Tools.Time);
        Done(Verified);
        var fetched = operation.BytesOf(Of(Built, Target.Path));
        return new ReinstalledTarget(Target, fetched, root.Look(archive) is null ? null : operation.Shown(archive), after);
    }

    /// <summary>True until something has begun that may take the user's data away: from then on the copy is what counts.</summary>
    private bool MayCopyUserData => !IsDone(Removed) && !IsDone(ChangedOver) && OldCopy is null;

    /// <summary>Where the copy of the old install is that is kept before the vendor's remove is run; null if there is none yet.</summary>
    private string? OldCopy => area.KeptOf(path);

    private List<string> UserPlaces => [.. Target.UserData.Select(u => operation.PathOf(u.Path))];

    private void Doing(string what) => with.Tools.Doing?.Invoke($"{Profile.Title}: {what}");

    /// <summary>Of a product that is not there nothing can be used.</summary>
    private void RefuseIfRunning()
    {
        if (Directory.Exists(Target.Path))
            Target.Guard.Refuse([Target.Path], []);
    }

    private bool IsDone(string step) => operation.IsDone(Of(step, Target.Path));

    private void Done(string step, long? bytes = null) => operation.Done(Of(step, Target.Path), bytes);

    private void Step(string step, Action<CancellationToken> act, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (IsDone(step))
            return;
        act(cancel);
        Done(step);
    }

    private async Task StepAsync(string step, Func<CancellationToken, Task> act, CancellationToken cancel)
    {
        cancel.ThrowIfCancellationRequested();
        if (IsDone(step))
            return;
        await act(cancel).ConfigureAwait(false);
        Done(step);
    }

    private void CopyUserData(CancellationToken cancel)
    {
        if (!wish.DropsUserData && Target.UserData.Count > 0)
        {
            Doing("copying user data");
            with.Tools.Meter?.Begin("copying user data", Target.UserData.Sum(u => u.Size.Bytes));
            copied = new UserDataArchive(root).Fingerprint(UserPlaces, cancel);
            new UserDataArchive(root).Write(archive, UserPlaces, with.Tools.Meter, cancel);
            foreach (var place in UserPlaces)
                operation.NoteOnce(UserDataNote, place, Target.Path);
        }

        Done(UserDataCopied);
    }

    private async Task SwitchOffAsync(CancellationToken cancel)
    {
        if (Profile.Services.Count > 0)
        {
            Doing("stopping services");
            var states = await with.Tools.Services.StatesAsync([.. Profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false);
            foreach (var step in ServicePlan.For(ServiceWish.Stop, Profile.Services, states).Steps)
            {
                ServiceRecord.NoteOnce(operation, states.First(s => s.Unit == step.Unit));
                await with.Tools.Services.DoAsync(step.Act, step.Unit, cancel).ConfigureAwait(false);
            }
        }

        RefuseIfRunning();
    }

    private async Task RemoveAsync(CancellationToken cancel)
    {
        if (!Target.RunsRemove)
            return;
        Doing("running the vendor's uninstall");
        await new VendorRemove(with.Tools.Services, with.Tools.Time) { Meter = with.Tools.Meter }.RunAsync(
            operation, Target.Path, Profile, Target.Manifest, cancel).ConfigureAwait(false);
    }

    private void ChangeOver(CancellationToken cancel)
    {
        Doing("swapping in the new copy");
        RefuseIfRunning();
        foreach (var inside in Target.Inside)
            operation.NoteOnce(InsideNote, inside, Target.Path);
        if (root.Look(built) is not null)
        {
            var isThere = root.Look(path) is not null;
            using (var ready = Folder.Open(operation.Shown(built)))
                locks.Take(ready); // The lock goes with the tree into its place.
            if (isThere)
                area.Swap(built, path);
            else
                area.EnsureFolder(Folder.ParentOf(path));
            if (!isThere)
                area.Place(built, path);
        }

        foreach (var inside in operation.Notes(InsideNote).Where(n => n.Of == Target.Path).Select(n => n.Text))
        {
            if (root.Look($"{path}/{inside}") is not null
                || area.AllKeptOf(path).FirstOrDefault(k => root.Look($"{k}/{inside}") is not null) is not { } kept)
                continue;
            area.EnsureFolder(Folder.ParentOf($"{path}/{inside}"));
            area.Rename($"{kept}/{inside}", $"{path}/{inside}");
        }
    }

    private void BringUserDataBack(CancellationToken cancel)
    {
        var places = operation.Notes(UserDataNote).Where(n => n.Of == Target.Path).Select(n => n.Text).Distinct().ToList();
        if (places.Count == 0)
            return;
        Doing("bringing user data back");
        new UserDataReturn(operation, archive).PutBack(places, p => p.StartsWith(path + "/", StringComparison.Ordinal), cancel);
    }

    private void HoldLeftovers(CancellationToken cancel)
    {
        var places = Target.Leftovers.Where(l => l.Blocked is null)
            .Concat(wish.DropsUserData ? Target.UserData.Where(u => !u.Path.StartsWith(Target.Path + "/", StringComparison.Ordinal)) : [])
            .ToList();
        if (places.Count > 0)
            Doing("setting leftovers aside");
        foreach (var place in places)
        {
            cancel.ThrowIfCancellationRequested();
            var (of, at) = operation.For(place.Path);
            if (root.Look(at) is not null)
                of.SetAside(at);
        }
    }

    private async Task SetUpAsync(CancellationToken cancel)
    {
        if (!Target.RunsInstall)
            return;
        using var install = Folder.Open(Target.Path);
        var runner = new SetupRunner(with.Tools.Services, with.Tools.Time);
        if (operation.Interrupted is { } left && left.WaitsFor is not null && left.HasStep(Of(ChangedOver, Target.Path)))
        {
            if (await runner.NotTrueAsync(
                install, Profile.Setup!.Then, Target.Manifest, cancel).ConfigureAwait(false) is { Count: > 0 } wrong)
                throw SetupFailure.Of(new SetupOutcome(SetupEnd.NotTrue, null, TimeSpan.Zero, [], wrong), Profile, "install");
            return;
        }

        Doing("running the vendor's install");
        var outcome = await runner.RunAsync(install, Profile.Setup!, "install", Target.Manifest, cancel).ConfigureAwait(false);
        if (outcome.End == SetupEnd.NeedsRestart)
            Wait();
        if (outcome.End != SetupEnd.Done)
            throw SetupFailure.Of(outcome, Profile, "install");
    }

    private void Wait()
    {
        operation.Wait(SetupRunner.Boot);
        throw SetupFailure.NeedsRestart(Profile);
    }

    private async Task RestoreServicesAsync(CancellationToken cancel)
    {
        if (Profile.Services.Count == 0)
            return;
        Doing("restoring services");
        var states = await with.Tools.Services.StatesAsync([.. Profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false);
        var outcome = await new ServiceRestorer(with.Tools.Services, with.Tools.Time)
            .DoAsync(
            operation, ServicePlan.For(ServiceWish.Restore, Profile.Services, states), Profile.Services, null,
            cancel).ConfigureAwait(false);
        if (outcome.Failure is { } failure)
            throw failure;
    }

    private void RestoreShortcuts(CancellationToken cancel)
    {
        foreach (var change in ShortcutRestorer.Plan(new ShortcutLook(with.Machine).At(Profile, Target.Path), Profile.Title))
        {
            cancel.ThrowIfCancellationRequested();
            if (ShortcutRestorer.Do(operation, change).Failure is { } failure)
                throw failure;
        }
    }
}
