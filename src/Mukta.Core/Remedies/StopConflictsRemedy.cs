using Mukta.Host;
using Mukta.Host.Interference;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Remedies;

/// <summary>The program that is stopped, and those that are left for later.</summary>
/// <param name="Conflict">The first that runs; null if none does.</param>
/// <param name="Later">The names of the others that run.</param>
public sealed record StopConflictsPlan(RunningConflict? Conflict, IReadOnlyList<string> Later) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => Conflict is null;
}

/// <summary>What became of it.</summary>
/// <param name="Operation">The operation.</param>
/// <param name="Left">Processes that have not ended.</param>
/// <param name="Failure">Why a service did not stop; null if all did.</param>
public sealed record StopConflictsOutcome(string? Operation, IReadOnlyList<EndedProcess> Left, MuktaException? Failure) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => Left.Count == 0 && Failure is null ? ExitCode.Done : ExitCode.Blocked;
}

/// <summary>
/// Stops a program that the profile names as being in the way: one at a time, so that the one that counts is found. An undo starts it
/// again.
/// </summary>
/// <param name="target">The product.</param>
/// <param name="environment">The environment variables.</param>
/// <param name="tools">What it works with.</param>
public sealed class StopConflictsRemedy(RemedyTarget target, Func<string, string?> environment, OperationTools tools)
    : OperationRemedy<StopConflictsPlan, StopConflictsOutcome>(target.Machine, target.Profile.Product, tools)
{
    private readonly InterferenceLook look = new(target.Machine, tools.Services, environment);

    /// <inheritdoc/>
    public override string Name => "stop";

    /// <summary>How long to wait after asking.</summary>
    public TimeSpan Patience { get; init; } = TimeSpan.FromSeconds(10);

    /// <summary>True to kill what still runs after that.</summary>
    public bool Force { get; init; }

    /// <inheritdoc/>
    public override async Task<StopConflictsPlan> PlanAsync(CancellationToken cancel)
    {
        if (!target.Machine.IsLive)
        {
            throw new MuktaException(
                ExitCode.BadInput, "Programs can only be stopped on the machine that runs them.", target.Machine.Root,
                "Start that machine and run the command there.");
        }

        var (running, unseen) = await look.ConflictsAsync(target.Profile, cancel).ConfigureAwait(false);
        return running.Count == 0 && unseen is not null
            ? throw new MuktaException(
                ExitCode.Blocked, $"Whether a program is in the way is not known: {unseen}.", target.Profile.Product,
                "Check the service manager with: systemctl status")
            : new StopConflictsPlan(running is [var first, ..] ? first : null, [.. running.Skip(1).Select(c => c.Conflict.Name)]);
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(StopConflictsPlan plan) => [];

    /// <inheritdoc/>
    protected override Task ProveOwnAsync(StopConflictsPlan plan, CancellationToken cancel)
    {
        ServiceRights.Prove(Tools, Machine, plan.Conflict?.Units ?? []);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override async Task<StopConflictsOutcome> DoAsync(
        Operation operation, InstallLocks locks, StopConflictsPlan plan, CancellationToken cancel)
    {
        if (plan.Conflict is not { } running)
            return new StopConflictsOutcome(operation.Header.Operation, [], null);
        Tools.Doing?.Invoke($"stopping {running.Conflict.Name}");
        var steps = new ServicePlan([.. running.Units.Select(u => new ServiceStep(ServiceAct.Stop, u))]);
        var stopped = running.Units.Count == 0 ? null
            : await new ServiceRestorer(Tools.Services, Tools.Time).DoAsync(
                operation, steps, [.. running.Units.Select(u => new ServiceExpectation(u, "enabled", "inactive", []))], null, cancel)
                .ConfigureAwait(false);
        // A service takes its processes along.
        var left = new ProcessTable().Using([], running.Conflict.Processes).Running;
        foreach (var program in left.Select(p => StoppedPrograms.Of(p.Pid)).OfType<ProcessStopped>())
        {
            if (!operation.Main.Changes.OfType<ProcessStopped>().Any(program.IsSameAs))
                operation.Main.Note(program);
        }

        var ended = await new ProcessEnder(new ProcessTable(), Tools.Time).EndAsync(left, Patience, Force, null, cancel)
            .ConfigureAwait(false);
        return new StopConflictsOutcome(operation.Header.Operation, [.. ended.Where(e => !e.IsGone)], stopped?.Failure);
    }
}
