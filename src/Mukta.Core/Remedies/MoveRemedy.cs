using Mukta.Disk;
using Mukta.Host;
using Mukta.Moving;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>Moves an install to another place, on this file system or on another.</summary>
/// <param name="target">The product, with the one install that is moved.</param>
/// <param name="destination">A folder to put the install into, or its new name.</param>
/// <param name="tools">What it works with.</param>
public sealed class MoveRemedy(RemedyTarget target, string destination, OperationTools tools)
    : OperationRemedy<MovePlan, MoveOutcome>(target.Machine, target.Profile.Product, tools)
{
    /// <inheritdoc/>
    public override string Name => "move";

    /// <inheritdoc/>
    protected override string RequestOf(MovePlan plan) => $"move to {plan.To}";

    /// <inheritdoc/>
    protected override IReadOnlyList<string> InstallsOf(MovePlan plan) => [plan.From, plan.To];

    /// <inheritdoc/>
    public override Task<MovePlan> PlanAsync(CancellationToken cancel)
    {
        var plan = Mover.Interrupted(Machine, target.Profile.Product) is { } left
            ? MovePlan.GoingOn(target.Profile, left, destination, cancel)
            : MovePlan.Of(target.Profile, target.Installs[0], destination, cancel);
        var others = target.Catalog.Profiles.Where(p => p.Profile.Product != target.Profile.Product)
            .SelectMany(
            p => new Reinstall.ReinstallChoice(Machine, target.Catalog).Installs(p).Select(Folder.RealPathOf)
            .Select(i => (p.Profile.Product, Path: i)));
        return Task.FromResult(plan with
        {
            Inside =
                [.. others.Where(o => o.Path.StartsWith(plan.From + "/", StringComparison.Ordinal))
                .Select(o => (o.Product, o.Path[(plan.From.Length + 1)..]))],
        });
    }

    /// <inheritdoc/>
    protected override string? ReleaseOf(MovePlan plan) => target.Manifest?.Release;

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(MovePlan plan) => [new TouchedPlaces(target.Guard, [plan.From], [])];

    /// <inheritdoc/>
    protected override Task ProveOwnAsync(MovePlan plan, CancellationToken cancel)
    {
        if (!IsInterrupted)
            plan.Prove();
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override Task<MoveOutcome> DoAsync(Operation operation, InstallLocks locks, MovePlan plan, CancellationToken cancel) =>
        Task.FromResult(
        new Mover(Machine, target.Guard, Tools.Time) { Meter = Tools.Meter }.Move(operation, locks, plan, target.Manifest, cancel));

    /// <inheritdoc/>
    protected override OperationStopped Stopped(Operation operation, MovePlan plan, MuktaException cause) =>
        new(operation.Header.Operation, cause)
        {
            Situation = Mover.IsPlaced(operation)
                ? $"State: the install is whole in {PathBytes.Shown(plan.To)}; not all that follows is done."
            : $"State: the install is whole where it was, in {PathBytes.Shown(plan.From)}.",
        };
}
