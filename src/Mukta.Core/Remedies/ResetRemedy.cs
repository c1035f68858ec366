using Mukta.Host;
using Mukta.Operations;
using Mukta.UserData;

namespace Mukta.Remedies;

/// <summary>Sets a product's own settings and local data aside, so that it starts as new. User data stays.</summary>
public sealed class ResetRemedy(RemedyTarget target, OperationTools tools)
    : OperationRemedy<RemedyPlan, RemedyOutcome>(target.Machine, target.Profile.Product, tools)
{
    /// <inheritdoc/>
    public override string Name => "reset";

    /// <inheritdoc/>
    protected override IReadOnlyList<string> InstallsOf(RemedyPlan plan) => target.Installs;

    /// <inheritdoc/>
    public override Task<RemedyPlan> PlanAsync(CancellationToken cancel)
    {
        var places = new UserPlaces(target.Machine, target.Catalog);
        var steps = target.InstallsOrNone.SelectMany(install => places.Settings(target.Profile, install, cancel)).DistinctBy(p => p.Path)
            .Select(p =>
            new RemedyStep(
            p.Blocked is null ? RemedyAct.SetAside : RemedyAct.Skip, p.Path, p.Blocked ?? p.Why, p.Size.Bytes, p.Size.Files));
        return Task.FromResult(new RemedyPlan([.. steps], PossibleLoss.Settings));
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(RemedyPlan plan) => [target.Touched(plan.SetAside, [])];

    /// <inheritdoc/>
    protected override Task<RemedyOutcome> DoAsync(Operation operation, InstallLocks locks, RemedyPlan plan, CancellationToken cancel)
    {
        foreach (var subject in plan.SetAside)
        {
            cancel.ThrowIfCancellationRequested();
            SetAside(operation, subject);
        }

        return Task.FromResult(new RemedyOutcome(operation.Header.Operation));
    }
}
