using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Repair;
using Mukta.Repair.Local;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;

namespace Mukta.Remedies;

/// <summary>
/// Brings back what is wrong in an install. Its journal and its kept files are inside of the install, and travel with it.
/// </summary>
/// <param name="target">The install.</param>
/// <param name="sources">Where good bytes come from.</param>
/// <param name="tools">What it works with.</param>
public sealed class RepairRemedy(InstallTarget target, SourceList sources, OperationTools tools)
    : Remedy<PreparedRepair, RepairOutcome>(tools), IDisposable
{
    private readonly Folder install = Folder.Open(target.Path);

    /// <inheritdoc/>
    public override string Name => "repair";

    /// <inheritdoc/>
    public override bool IsInterrupted => Repairer.Interrupted(target.Manifest, install) is not null;

    /// <summary>True to set strays aside too.</summary>
    public bool SetsStraysAside { get; init; }

    /// <summary>Files that are downloaded again whatever their state.</summary>
    public FilesToRenew Renewed { get; init; } = FilesToRenew.None;

    /// <summary>Folders in which to look for pieces before the network is asked.</summary>
    public IReadOnlyList<string> Also { get; init; } = [];

    /// <summary>The manifest of the release that is there now; null to take the one that the last repair left.</summary>
    public LazyManifest? Previous { get; init; }

    /// <summary>
    /// The release that is meant, as its manifest calls it; null for whichever it is, but none that is older than what is there.
    /// </summary>
    public string? Release { get; init; }

    /// <summary>What the download keeps to.</summary>
    public FetchLimits Limits { get; init; } = new();

    /// <inheritdoc/>
    public override Task<PreparedRepair> PlanAsync(CancellationToken cancel)
    {
        target.Manifest.RefuseWithoutSizes(target.ManifestFile!.Source ?? target.ManifestFile.Path);
        InstalledRelease.RefuseNewer(install, target.Manifest, Release, $"mukta repair {target.Arguments}");
        var before = new Verifier(Tools.Time)
            .Verify(target.Manifest, install, new VerifyOptions { Meter = Tools.Meter, RememberProven = true }, cancel);
        var wish = new RepairWish
        {
            HoldStrays = SetsStraysAside,
            Renew = Renewed.Among(target.Manifest, target.Components, target.ManifestFile!.Path),
            Older = Previous is { } previous ? previous.Value : InstalledRelease.Before(install, target.Manifest),
            Disk = FileSystemCapabilities.Of(target.Path),
        };
        var plan = PreparedRepair.Of(
            before, install, wish,
            new PieceSearch { Places = new LocalPlaces(Also, target.OtherInstalls), Meter = Tools.Meter }, cancel);
        Tools.Log.Information(
            "repair of {Install}: {Findings} findings, {Steps} steps, {Bytes} bytes to fetch", target.Path, before.Findings.Count,
            plan.Plan.Steps.Count, plan.Plan.BytesToFetch);
        return Task.FromResult(plan);
    }

    /// <inheritdoc/>
    public void Dispose() => install.Dispose();

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(PreparedRepair plan) =>
        plan.IsEmpty ? [] : [new TouchedPlaces(target.Guard, [target.Path], [])];

    /// <inheritdoc/>
    protected override async Task<RepairOutcome> DoAsync(PreparedRepair plan, CancellationToken cancel)
    {
        var repairer = new Repairer(Tools.Time, Tools.Log, target.Guard)
        {
            Begun = Tools.Begun,
            Limits = Limits,
            Home = target.Machine.Home,
        };
        var outcome = await repairer.RepairAsync(plan, install, sources.Sources, Tools.Meter, cancel).ConfigureAwait(false);
        new QuickVerifier(Tools.Time, new VerifiedRecords(target.Machine)).Remember(outcome.After, target.ManifestFile!, install);
        Tools.Log.Information(
            "operation {Operation}: {Done} steps done, {Failed} failed, exit code {Code}", outcome.Operation, outcome.StepsDone,
            outcome.Failures.Count, outcome.Code);
        return outcome;
    }
}
