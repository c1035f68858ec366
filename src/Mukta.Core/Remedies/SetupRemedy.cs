using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Setup;
using Mukta.Verification;

namespace Mukta.Remedies;

/// <summary>A run of the vendor's setup program.</summary>
/// <param name="Install">The install, a real path.</param>
/// <param name="Action">install, repair or remove.</param>
/// <param name="Setup">The program, and what should be true afterwards.</param>
/// <param name="How">Its arguments and limits.</param>
public sealed record SetupPlan(string Install, string Action, SetupProgram Setup, SetupAction How) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => false;
}

/// <summary>What came of a setup.</summary>
/// <param name="Operation">The operation.</param>
/// <param name="Setup">How the program ended; null if an earlier run of it only waited for the restart.</param>
/// <param name="After">The verification of the install afterwards; null if it was removed.</param>
public sealed record SetUpInstall(string Operation, SetupOutcome? Setup, VerifyResult? After) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => After?.IsIntact == false ? ExitCode.Problems : ExitCode.Done;
}

/// <summary>
/// Runs a vendor's setup program. How the services were is written down before, so that an undo brings them back; and if the program asks
/// for a restart, the same command goes on after it.
/// </summary>
/// <param name="target">The product, with the one install that is meant.</param>
/// <param name="action">install, repair or remove.</param>
/// <param name="tools">What it works with.</param>
public sealed class SetupRemedy(RemedyTarget target, string action, OperationTools tools)
    : OperationRemedy<SetupPlan, SetUpInstall>(target.Machine, target.Profile.Product, tools)
{
    private const string Ran = "ran";

    /// <inheritdoc/>
    public override string Name => "setup";

    private IReadOnlyList<string> Units => [.. target.Profile.Services.Select(s => s.Unit)];

    /// <inheritdoc/>
    /// <exception cref="MuktaException">There is no such program or action, or it is not the published one.</exception>
    public override Task<SetupPlan> PlanAsync(CancellationToken cancel)
    {
        var profile = target.Profile.With(v => Machine.Folders.FolderOf(v, target.Installs[0]));
        if (profile.Setup is not { } setup)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The profile of {profile.Title} describes no setup program.", target.Loaded.File,
                $"Add the key setup, or replace it with: mukta reinstall {profile.Product}");
        }

        if (!setup.Actions.TryGetValue(action, out var how))
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The setup program of {profile.Title} has no {action}.", target.Loaded.File,
                $"It has: {string.Join(", ", setup.Actions.Keys.Order())}.");
        }

        if (!Machine.IsLive)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A setup program can only be run on its own machine.", Machine.Root,
                "Start that machine and run the command there.");
        }

        if (!IsInterrupted)
        {
            using var install = Folder.Open(target.Installs[0]);
            ProvenProgram.Open(install, setup.Program, target.NeededManifest, cancel).Dispose();
        }

        return Task.FromResult(new SetupPlan(target.Installs[0], action, setup, how));
    }

    /// <inheritdoc/>
    protected override string RequestOf(SetupPlan plan) => action;

    /// <inheritdoc/>
    protected override string? ReleaseOf(SetupPlan plan) => target.Manifest?.Release;

    /// <inheritdoc/>
    protected override IReadOnlyList<string> InstallsOf(SetupPlan plan) => target.Installs;

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(SetupPlan plan) => [target.Touched([], Units)];

    /// <inheritdoc/>
    protected override Task ProveOwnAsync(SetupPlan plan, CancellationToken cancel)
    {
        ServiceRights.Prove(Tools, Machine, Units);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override async Task<SetUpInstall> DoAsync(Operation operation, InstallLocks locks, SetupPlan plan, CancellationToken cancel)
    {
        try
        {
            var outcome = await DoAsync(operation, plan, cancel).ConfigureAwait(false);
            return new SetUpInstall(operation.Header.Operation, outcome, action == "remove" ? null : Verified(plan.Install, cancel));
        }
        catch (MuktaException) when (!operation.IsWaiting)
        {
            operation.End(); // A program that has failed is run again by the next command, as an operation of its own.
            throw;
        }
    }

    /// <inheritdoc/>
    protected override OperationStopped Stopped(Operation operation, SetupPlan plan, MuktaException cause) =>
        new(operation.Header.Operation, cause)
        {
            IsEnded = !operation.IsWaiting,
        };

    private VerifyResult Verified(string path, CancellationToken cancel)
    {
        using var install = Folder.Open(path);
        return new Verifier(Tools.Time).Verify(target.NeededManifest, install, new VerifyOptions(), cancel);
    }

    private async Task<SetupOutcome?> DoAsync(Operation operation, SetupPlan plan, CancellationToken cancel)
    {
        if (operation.Interrupted is { } left && left.WaitsFor is { } boot && boot == SetupRunner.Boot)
        {
            operation.StillWaits();
            throw SetupFailure.NeedsRestart(target.Profile);
        }

        using var install = Folder.Open(plan.Install);
        var runner = new SetupRunner(Tools.Services, Tools.Time);
        if (operation.IsDone(Ran))
        {
            if (action != "remove" && await runner.NotTrueAsync(
                install, plan.Setup.Then, target.NeededManifest, cancel).ConfigureAwait(false) is { Count: > 0 } wrong)
                throw SetupFailure.Of(new SetupOutcome(SetupEnd.NotTrue, null, TimeSpan.Zero, [], wrong), target.Profile, action);
            return null;
        }

        foreach (var state in await Tools.Services.StatesAsync(Units, cancel).ConfigureAwait(false))
            ServiceRecord.NoteOnce(operation, state);
        Tools.Meter.Begin($"running the vendor's {action}", 0);
        var outcome = await runner.RunAsync(install, plan.Setup, action, target.NeededManifest, cancel).ConfigureAwait(false);
        if (outcome.End is SetupEnd.Done or SetupEnd.NeedsRestart)
            operation.Done(Ran);
        if (outcome.End == SetupEnd.NeedsRestart)
            operation.Wait(SetupRunner.Boot);
        return outcome.End == SetupEnd.Done ? outcome : throw SetupFailure.Of(outcome, target.Profile, action);
    }
}
