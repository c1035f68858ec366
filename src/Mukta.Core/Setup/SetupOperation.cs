using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Verification;

namespace Mukta.Setup;

/// <summary>What came of a setup that was run by itself.</summary>
/// <param name="Operation">The operation's id.</param>
/// <param name="Setup">How the program ended; null where an earlier run of it only waited for the restart.</param>
/// <param name="After">The verification of the install afterwards; null where it was removed.</param>
public sealed record SetUpInstall(string Operation, SetupOutcome? Setup, VerifyResult? After);

/// <summary>
/// Runs a vendor's setup as an operation of its own: how the services were is written down before, so that an undo brings
/// them back; and where the program asks for a restart, the same command goes on after it.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="services">Its service manager.</param>
/// <param name="time">For dates and durations.</param>
public sealed class SetupOperation(Machine machine, IServiceControl services, TimeProvider time)
{
    private const string Ran = "ran";

    /// <summary>Told of the operation and of the folder of held areas that it uses.</summary>
    public Action<OperationHeader, string>? Begun { get; init; }

    /// <summary>Runs it, or goes on after a restart.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install.</param>
    /// <param name="action">install, repair or remove.</param>
    /// <param name="manifest">Vouches for the program.</param>
    /// <param name="cancel">Ends the program too.</param>
    /// <exception cref="ReinstallStopped">It did not do what it should, or asks for a restart.</exception>
    /// <exception cref="MuktaException">It is not the published program; nothing was begun.</exception>
    public async Task<SetUpInstall> RunAsync(Profile profile, Folder install, string action, Manifest manifest, CancellationToken cancel)
    {
        var setup = profile.Setup!;
        if (Operation.FindInterrupted(machine.Home, "setup", profile.Product) is null)
            SetupRunner.Prove(install, setup, manifest, cancel);
        using var operation = Operation.Open(machine.Home, OperationHeader.New("setup", profile.Product, manifest.Release, time), action, Begun);
        try
        {
            if (operation.Interrupted is { } left && left.WaitsFor is { } boot && boot == SetupRunner.Boot)
            {
                operation.StillWaits();
                throw SetupFailure.NeedsRestart(profile);
            }

            var runner = new SetupRunner(services, time);
            var outcome = operation.IsDone(Ran) ? null : await RunAsync(operation, runner, profile, install, action, manifest, cancel).ConfigureAwait(false);
            if (outcome is null && action != "remove" && await runner.NotTrueAsync(install, setup.Then, manifest, cancel).ConfigureAwait(false) is { Count: > 0 } wrong)
                throw SetupFailure.Of(new SetupOutcome(SetupEnd.NotTrue, null, TimeSpan.Zero, [], wrong), profile, action);
            operation.End();
            WaitingOperations.Forget(machine.Home, operation.Header.Operation);
            var after = action == "remove" ? null : new Verifier(time).Verify(manifest, install, new VerifyOptions(), cancel);
            return new SetUpInstall(operation.Header.Operation, outcome, after);
        }
        catch (MuktaException e)
        {
            if (!operation.IsWaiting)
                operation.End(); // A program that has failed is run again by the next command, as an operation of its own.
            throw new ReinstallStopped(operation.IsWaiting ? ReinstallState.WaitsForRestart : ReinstallState.ChangedOver, operation.Header.Operation, e);
        }
    }

    private async Task<SetupOutcome> RunAsync(Operation operation, SetupRunner runner, Profile profile, Folder install, string action, Manifest manifest, CancellationToken cancel)
    {
        foreach (var state in await services.StatesAsync([.. profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false))
            operation.Main.Note(ServiceRecord.Line(state));
        var outcome = await runner.RunAsync(install, profile.Setup!, action, manifest, cancel).ConfigureAwait(false);
        if (outcome.End is SetupEnd.Done or SetupEnd.NeedsRestart)
            operation.Done(Ran);
        if (outcome.End == SetupEnd.NeedsRestart)
            operation.Wait(SetupRunner.Boot);
        return outcome.End == SetupEnd.Done ? outcome : throw SetupFailure.Of(outcome, profile, action);
    }
}
