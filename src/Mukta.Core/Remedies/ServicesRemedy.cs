using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>The steps for services.</summary>
/// <param name="Before">The services as they are, in the profile's order.</param>
/// <param name="Plan">The steps.</param>
public sealed record ServicesPlan(IReadOnlyList<ServiceState> Before, ServicePlan Plan) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => Plan.Steps.Count == 0;
}

/// <summary>What became of services.</summary>
/// <param name="Operation">The operation.</param>
/// <param name="Services">What was done.</param>
/// <param name="Code">What the program answers to the shell.</param>
public sealed record ServicesOutcome(string? Operation, ServiceOutcome Services, ExitCode Code) : IOperationOutcome;

/// <summary>
/// Brings a product's services to where they should be, or stops them. It acts on what runs, so nothing has to be ended before.
/// </summary>
/// <param name="target">The product.</param>
/// <param name="wish">What to do with the services.</param>
/// <param name="tools">What it works with.</param>
public sealed class ServicesRemedy(RemedyTarget target, ServiceWish wish, OperationTools tools)
    : OperationRemedy<ServicesPlan, ServicesOutcome>(target.Machine, target.Profile.Product, tools)
{
    private ServiceRestorer Restorer => new(Tools.Services, Tools.Time);

    /// <inheritdoc/>
    public override string Name => "services";

    /// <summary>Told what is being done.</summary>
    public Action<ServiceStep>? DoingStep { get; init; }

    /// <inheritdoc/>
    protected override string RequestOf(ServicesPlan plan) => wish.ToString().ToLowerInvariant();

    /// <inheritdoc/>
    public override async Task<ServicesPlan> PlanAsync(CancellationToken cancel)
    {
        var states = await Restorer.LookAsync(target.Profile.Services, cancel).ConfigureAwait(false);
        return new ServicesPlan(states, ServicePlan.For(wish, target.Profile.Services, states));
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(ServicesPlan plan) => [];

    /// <inheritdoc/>
    protected override Task ProveOwnAsync(ServicesPlan plan, CancellationToken cancel)
    {
        ServiceRights.Prove(Tools, Machine, [.. target.Profile.Services.Select(s => s.Unit)]);
        return Task.CompletedTask;
    }

    /// <inheritdoc/>
    protected override async Task<ServicesOutcome> DoAsync(
        Operation operation, InstallLocks locks, ServicesPlan plan, CancellationToken cancel)
    {
        var done = await Restorer.DoAsync(operation, plan.Plan, target.Profile.Services, DoingStep, cancel).ConfigureAwait(false);
        var isGood = done.Failure is null
            && (wish == ServiceWish.Stop ? done.After.All(s => s.Active != "active")
            : target.Profile.Services.Zip(done.After).All(s => s.Second.IsAsExpected(s.First)));
        return new ServicesOutcome(operation.Header.Operation, done, isGood ? ExitCode.Done : ExitCode.Problems);
    }
}
