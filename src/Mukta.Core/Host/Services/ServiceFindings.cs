using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Host.Services;

/// <summary>What is wrong with a product's services. Pure.</summary>
public static class ServiceFindings
{
    /// <summary>Compares services with what the profile asks for.</summary>
    /// <param name="expected">From the profile.</param>
    /// <param name="states">As the manager has them, in the same order.</param>
    public static IEnumerable<CheckFinding> Of(IReadOnlyList<ServiceExpectation> expected, IReadOnlyList<ServiceState> states)
    {
        foreach (var (service, state) in expected.Zip(states))
        {
            if (!state.IsThere)
            {
                yield return new CheckFinding(
                    FindingKind.ServiceAbsent, Verdict.Bad, service.Unit, $"{service.Unit} is not installed",
                    Advice: "run the product's setup again");
            }
            else if (state.IsMasked && (service.State == "active" || service.Startup != "disabled"))
                yield return Restorable(FindingKind.ServiceMasked, Verdict.Bad, service, $"{service.Unit} is masked: nothing can start it");
            else if (!state.HasStartup(service.Startup))
            {
                yield return Restorable(
                    FindingKind.ServiceStartup, service.Startup == "enabled" ? Verdict.Bad : Verdict.Warning, service,
                    $"{service.Unit} is {Startup(state)}, should be {service.Startup}");
            }

            if (state.IsThere && State(service, state) is { } finding)
                yield return finding;
        }
    }

    private static CheckFinding? State(ServiceExpectation service, ServiceState state) => (state.Active, service.State) switch
    {
        (null, _) => null,
        ("failed", _) => Restorable(FindingKind.ServiceFailed, Verdict.Bad, service, $"{service.Unit} has failed: {LastWords(state)}"),
        ("activating" or "deactivating", _) => Restorable(
        FindingKind.ServiceChanging, Verdict.Warning, service, $"{service.Unit} is {state.Active}"),
        ("inactive", "active") => Restorable(
        FindingKind.ServiceDown, Verdict.Bad, service, $"{service.Unit} is inactive, should be active"),
        ("active" or "reloading", "inactive") => Restorable(
        FindingKind.ServiceUnwanted, Verdict.Warning, service, $"{service.Unit} is active, should be inactive"),
        _ => null,
    };

    private static string Startup(ServiceState state) =>
        state.Startup.Length > 0 ? state.Startup : $"of unknown startup mode ({state.Load})";

    private static string LastWords(ServiceState state) =>
        state.LastLines.Count > 0 ? state.LastLines[^1] : $"{state.Result}, status {state.ExitStatus}";

    private static CheckFinding Restorable(FindingKind kind, Verdict verdict, ServiceExpectation service, string seen) =>
        new(kind, verdict, service.Unit, seen, Remedy.RestoreServices);
}
