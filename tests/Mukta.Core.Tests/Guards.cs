using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Remedies;

namespace Mukta.Core.Tests;

/// <summary>What remedies and engines ask for, with nobody running anything.</summary>
internal static class Guards
{
    private static readonly Machine Machine = new("/", UserFolders.Of(_ => null));

    public static RunningGuard Nobody { get; } = new(Machine, [], "End it.");

    public static OperationTools Tools { get; } = new(new FakeServices(), TimeProvider.System);

    public static RemedyTarget TargetOf(Machine machine, Profile profile, params IReadOnlyList<string> installs)
    {
        var loaded = new LoadedProfile(profile, "test.yaml");
        return new RemedyTarget(machine, ProfileCatalog.Of(loaded), loaded, installs)
        {
            Guard = new RunningGuard(machine, profile.Processes, "End it."),
        };
    }

    /// <summary>Plans and applies.</summary>
    public static TOutcome? Run<TPlan, TOutcome>(this Remedy<TPlan, TOutcome> remedy)
        where TPlan : class, IOperationPlan
        where TOutcome : class, IOperationOutcome =>
            remedy.ApplyAsync(remedy.PlanAsync(default).GetAwaiter().GetResult(), default).GetAwaiter().GetResult();
}
