using Mukta.Host.Services;
using Mukta.Operations;
using Mukta.UserData;

namespace Mukta.Remedies;

/// <summary>Sets a product's own settings and local data aside, so that it starts as new. User data stays.</summary>
public sealed class ResetRemedy(RemedyTarget target, IServiceControl services, TimeProvider time) : Remedy(target, services, time)
{
    /// <inheritdoc/>
    public override string Name => "reset";

    /// <inheritdoc/>
    public override Task<RemedyPlan> PlanAsync(CancellationToken cancel)
    {
        var places = new UserPlaces(Target.Machine, Target.Catalog);
        var steps = (Target.Installs.Count == 0 ? [null] : Target.Installs.Cast<string?>())
            .SelectMany(install => places.Settings(Target.Profile, install, cancel)).DistinctBy(p => p.Path)
            .Select(p => new RemedyStep(p.Blocked is null ? RemedyAct.SetAside : RemedyAct.Skip, p.Path, p.Blocked ?? p.Why, p.Size.Bytes, p.Size.Files));
        return Task.FromResult(new RemedyPlan([.. steps], PossibleLoss.Settings));
    }

    /// <inheritdoc/>
    protected override Task DoAsync(Operation operation, RemedyPlan plan, CancellationToken cancel)
    {
        ArgumentNullException.ThrowIfNull(plan);
        foreach (var step in plan.Steps.Where(s => s.Act == RemedyAct.SetAside))
        {
            cancel.ThrowIfCancellationRequested();
            SetAside(operation, step);
        }

        return Task.CompletedTask;
    }
}
