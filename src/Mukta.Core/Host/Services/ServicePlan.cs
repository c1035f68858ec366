using Mukta.Products;

namespace Mukta.Host.Services;

/// <summary>What to do with the services.</summary>
public enum ServiceWish
{
    /// <summary>Bring them to what the profile asks for.</summary>
    Restore,

    /// <summary>Stop and start those that should be up.</summary>
    Restart,

    /// <summary>Stop them all, so that their files can be replaced. Their startup mode stays.</summary>
    Stop,
}

/// <summary>One thing to tell the service manager.</summary>
/// <param name="Act">What.</param>
/// <param name="Unit">To which unit.</param>
public sealed record ServiceStep(ServiceAct Act, string Unit);

/// <summary>The steps that bring services to where they should be, in the order of what they need. Pure.</summary>
/// <param name="Steps">In order.</param>
public sealed record ServicePlan(IReadOnlyList<ServiceStep> Steps)
{
    /// <summary>Makes the plan.</summary>
    /// <param name="wish">What is wanted.</param>
    /// <param name="expected">From the profile.</param>
    /// <param name="states">As they are, in the same order. Units that are not there get no step.</param>
    public static ServicePlan For(ServiceWish wish, IReadOnlyList<ServiceExpectation> expected, IReadOnlyList<ServiceState> states)
    {
        var there = expected.Zip(states).Where(s => s.Second.IsThere).ToDictionary(s => s.First.Unit, StringComparer.Ordinal);
        var inOrder = Ordered(expected).Where(s => there.ContainsKey(s.Unit)).ToList();
        var stops = inOrder.AsEnumerable().Reverse().Where(s => there[s.Unit].Second.Active is not ("inactive" or "failed"));
        return new ServicePlan(wish switch
        {
            ServiceWish.Stop => [.. stops.Select(s => new ServiceStep(ServiceAct.Stop, s.Unit))],
            ServiceWish.Restart =>
            [
                .. stops.Where(s => s.State == "active").Select(s => new ServiceStep(ServiceAct.Stop, s.Unit)),
                .. inOrder.Where(s => s.State == "active").Select(s => new ServiceStep(ServiceAct.Start, s.Unit)),
            ],
            _ => [.. inOrder.SelectMany(s => Restoring(s, there[s.Unit].Second))],
        });
    }

    /// <summary>The steps that bring a service back to how it was before an operation; for its undo.</summary>
    /// <param name="before">As the operation's record tells.</param>
    /// <param name="now">As it is.</param>
    public static ServicePlan Back(ServiceState before, ServiceState now)
    {
        if (!now.IsThere)
            return new ServicePlan([]);
        var acts = new List<ServiceAct>();
        if (now.IsMasked && !before.IsMasked)
            acts.Add(ServiceAct.Unmask);
        if (before.Startup is "enabled" or "disabled" && now.Startup != before.Startup)
            acts.Add(before.Startup == "enabled" ? ServiceAct.Enable : ServiceAct.Disable);
        if (before.Active is "active" or "inactive" or "failed" && now.Active != before.Active
            && (before.Active == "active" || now.Active is not ("inactive" or "failed")))
            acts.Add(before.Active == "active" ? ServiceAct.Start : ServiceAct.Stop);
        if (before.IsMasked && !now.IsMasked)
            acts.Add(ServiceAct.Mask);
        return new ServicePlan([.. acts.Select(a => new ServiceStep(a, before.Unit))]);
    }

    /// <summary>
    /// The services in such an order that each comes behind those that it needs. Names that go round in a circle keep the profile's order.
    /// </summary>
    internal static IReadOnlyList<ServiceExpectation> Ordered(IReadOnlyList<ServiceExpectation> expected)
    {
        var ordered = new List<ServiceExpectation>();
        var seen = new HashSet<string>(StringComparer.Ordinal);
        void Add(ServiceExpectation service)
        {
            if (!seen.Add(service.Unit))
                return;
            foreach (var before in expected.Where(e => service.After.Contains(e.Unit)))
                Add(before);
            ordered.Add(service);
        }

        foreach (var service in expected)
            Add(service);
        return ordered;
    }

    private static IEnumerable<ServiceStep> Restoring(ServiceExpectation service, ServiceState state)
    {
        if (state.IsMasked)
            yield return new ServiceStep(ServiceAct.Unmask, service.Unit);
        if (!state.HasStartup(service.Startup) && service.Startup is "enabled" or "disabled"
            && (service.Startup == "enabled" || !state.IsMasked))
            yield return new ServiceStep(service.Startup == "enabled" ? ServiceAct.Enable : ServiceAct.Disable, service.Unit);
        if (state.Active == "failed")
            yield return new ServiceStep(ServiceAct.ResetFailed, service.Unit);
        if (service.State == "active" && state.Active is not ("active" or "reloading"))
            yield return new ServiceStep(ServiceAct.Start, service.Unit);
        if (service.State == "inactive" && state.Active is not ("inactive" or "failed"))
            yield return new ServiceStep(ServiceAct.Stop, service.Unit);
    }
}
