using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;

namespace Mukta.Setup;

/// <summary>
/// Runs a vendor's own remove as a step of an operation. It may take away what it likes: so a copy of the install is kept before, and
/// after an interruption it is not run again if it has removed itself.
/// </summary>
/// <param name="services">For the units that its profile names.</param>
/// <param name="time">For durations.</param>
public sealed class VendorRemove(IServiceControl services, TimeProvider time)
{
    /// <summary>The step of an operation once the program has begun to run.</summary>
    public const string Removing = "removing";

    /// <summary>The step once it has run.</summary>
    public const string Removed = "removed";

    /// <summary>Counts the bytes of the copy.</summary>
    public WorkMeter? Meter { get; init; }

    /// <summary>A step with the install that it is about.</summary>
    public static string Step(string step, string install) => $"{step} {install}";

    /// <summary>Runs it, or goes on after an interruption.</summary>
    /// <exception cref="MuktaException">It did not do what it should, or asks for a restart.</exception>
    public async Task RunAsync(Operation operation, string install, Profile profile, Manifest manifest, CancellationToken cancel)
    {
        ArgumentNullException.ThrowIfNull(operation);
        ArgumentNullException.ThrowIfNull(profile);
        if (operation.IsDone(Step(Removed, install)))
            return;
        var root = operation.Root;
        var (area, path) = operation.For(install);
        var isKept = area.KeptOf(path) is not null;
        if (!isKept)
        {
            var snapshot = $"{area.Path}/copy";
            if (root.Look(snapshot) is not null)
                TreeBulk.Remove(root, snapshot, cancel);
            new TreeCopy(root, root, CopyWay.HardLinks).Copy(path, snapshot, PlanRunner.IsOfARun, Meter, cancel);
            area.KeepCopy(snapshot, path);
        }

        using var folder = Folder.Open(install);
        if (!isKept || folder.Look(profile.Setup!.Program) is not null)
            await RunAsync(operation, folder, install, profile, manifest, cancel).ConfigureAwait(false);
        operation.Done(Step(Removed, install));
    }

    private async Task RunAsync(
        Operation operation, Folder folder, string install, Profile profile, Manifest manifest, CancellationToken cancel)
    {
        ProvenProgram.Open(folder, profile.Setup!.Program, manifest, cancel).Dispose();
        operation.Done(Step(Removing, install));
        var outcome = await new SetupRunner(services, time)
            .RunAsync(folder, profile.Setup!, "remove", manifest, cancel).ConfigureAwait(false);
        if (outcome.End == SetupEnd.NeedsRestart)
        {
            operation.Done(Step(Removed, install));
            operation.Wait(SetupRunner.Boot);
            throw SetupFailure.NeedsRestart(profile);
        }

        if (outcome.End != SetupEnd.Done)
            throw SetupFailure.Of(outcome, profile, "remove");
    }
}
