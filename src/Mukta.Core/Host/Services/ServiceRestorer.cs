using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Host.Services;

/// <summary>What came of a plan for services.</summary>
/// <param name="Done">The steps that were done.</param>
/// <param name="Failure">Why it ended early; null if it did not.</param>
/// <param name="After">The state of the services now, with the last lines of those that are not as they should be.</param>
public sealed record ServiceOutcome(IReadOnlyList<ServiceStep> Done, MuktaException? Failure, IReadOnlyList<ServiceState> After);

/// <summary>Does what a plan for services says, and waits until they are really up and stay up for a moment.</summary>
/// <param name="control">The service manager.</param>
/// <param name="time">For the waits.</param>
public sealed class ServiceRestorer(IServiceControl control, TimeProvider time)
{
    /// <summary>How many lines of its log are shown for a service that does not come up.</summary>
    public const int LinesShown = 5;

    private static readonly TimeSpan LongestStart = TimeSpan.FromSeconds(30);
    private static readonly TimeSpan Moment = TimeSpan.FromSeconds(3);
    private static readonly TimeSpan Step = TimeSpan.FromMilliseconds(200);

    /// <summary>The state of services; those that are not as expected with their last lines.</summary>
    public async Task<IReadOnlyList<ServiceState>> LookAsync(IReadOnlyList<ServiceExpectation> expected, CancellationToken cancel)
    {
        var states = await control.StatesAsync([.. expected.Select(e => e.Unit)], cancel).ConfigureAwait(false);
        var looked = new List<ServiceState>();
        foreach (var (service, state) in expected.Zip(states))
        {
            var isSilent = !state.IsThere || state.IsAsExpected(service);
            looked.Add(
                isSilent ? state
                : state with { LastLines = await control.LastLinesAsync(service.Unit, LinesShown, cancel).ConfigureAwait(false) });
        }

        return looked;
    }

    /// <summary>
    /// Does the steps, in order; ends at the first that fails. How each service was is written down before its first step.
    /// </summary>
    /// <param name="operation">Where to write it down.</param>
    /// <param name="plan">The plan.</param>
    /// <param name="expected">All services of the profile.</param>
    /// <param name="doing">Told what is being done.</param>
    /// <param name="cancel">Interrupts between steps.</param>
    public async Task<ServiceOutcome> DoAsync(
        Operation operation, ServicePlan plan, IReadOnlyList<ServiceExpectation> expected, Action<ServiceStep>? doing,
        CancellationToken cancel)
    {
        var done = new List<ServiceStep>();
        MuktaException? failure = null;
        try
        {
            foreach (var before in await control.StatesAsync([.. plan.Steps.Select(s => s.Unit).Distinct()], cancel).ConfigureAwait(false))
                ServiceRecord.NoteOnce(operation, before);
            foreach (var step in plan.Steps)
            {
                doing?.Invoke(step);
                await control.DoAsync(step.Act, step.Unit, cancel).ConfigureAwait(false);
                done.Add(step);
            }

            await StayingUpAsync([.. done.Where(s => s.Act == ServiceAct.Start).Select(s => s.Unit)], cancel).ConfigureAwait(false);
        }
        catch (ServiceControlFailed e)
        {
            failure = e;
        }

        return new ServiceOutcome(done, failure, await LookAsync(expected, cancel).ConfigureAwait(false));
    }

    /// <summary>Waits until services are up, and then for a moment in which each has to keep its process.</summary>
    /// <exception cref="ServiceControlFailed">One did not come up, or did not stay.</exception>
    private async Task StayingUpAsync(List<string> units, CancellationToken cancel)
    {
        if (units.Count == 0)
            return;
        var started = time.GetTimestamp();
        IReadOnlyList<ServiceState> states;
        while ((states = await control.StatesAsync(units, cancel).ConfigureAwait(false)).Any(s => s.Active == "activating"))
        {
            if (time.GetElapsedTime(started) > LongestStart)
                throw Down(states.First(s => s.Active == "activating"), "is still starting after 30 s");
            await Task.Delay(Step, time, cancel).ConfigureAwait(false);
        }

        if (states.FirstOrDefault(s => s.Active != "active") is { } down)
            throw Down(down, $"did not come up: it is {down.Active}");
        await Task.Delay(Moment, time, cancel).ConfigureAwait(false);
        foreach (var (before, after) in states.Zip(await control.StatesAsync(units, cancel).ConfigureAwait(false)))
        {
            if (after.Active != "active" || after.Restarts != before.Restarts || (before.MainPid != 0 && after.MainPid != before.MainPid))
                throw Down(after, $"came up and did not stay up: it is {after.Active} now ({after.Result}, status {after.ExitStatus})");
        }
    }

    private static ServiceControlFailed Down(ServiceState state, string how) =>
        new($"{state.Unit} {how}.", state.Unit, $"Read what it says, then check it with: systemctl status {state.Unit}");
}
