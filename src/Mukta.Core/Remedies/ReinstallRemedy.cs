using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Repair;

namespace Mukta.Remedies;

/// <summary>What is asked of a reinstall, or of a first install.</summary>
public sealed record ReinstallRequest
{
    /// <summary>The command: reinstall, or repair for what is not there.</summary>
    public required string Command { get; init; }

    /// <summary>What is reinstalled besides the product itself.</summary>
    public ReinstallScope Scope { get; init; }

    /// <summary>What is wanted.</summary>
    public ReinstallWish Wish { get; init; } = new(false, false);

    /// <summary>The release of the product that is meant; null for whichever it is, but none that is older than what is there.</summary>
    public string? Release { get; init; }

    /// <summary>True for every install of the product.</summary>
    public bool IsOfAllInstalls { get; init; }

    /// <summary>The install that the user has named, there or not; null for none.</summary>
    public string? NamedInstall { get; init; }

    /// <summary>Where to put a product that is not there; null for the profile's first place.</summary>
    public string? NewPlace { get; init; }

    /// <summary>Folders on this machine in which to look for pieces before the network is asked.</summary>
    public IReadOnlyList<string> Also { get; init; } = [];

    /// <summary>What downloads keep to.</summary>
    public FetchLimits Limits { get; init; } = new();

    /// <summary>Where the bytes of a product come from.</summary>
    public required Func<LoadedProfile, Manifest, SourceList> SourcesOf { get; init; }

    /// <summary>Knows who uses a product.</summary>
    public required Func<LoadedProfile, RunningGuard> GuardOf { get; init; }
}

/// <summary>What a reinstall will do.</summary>
/// <param name="Targets">The installs, in the order in which they are made.</param>
/// <param name="Wish">What is wanted.</param>
/// <param name="Interrupted">The operation that it goes on with; null for a new one.</param>
public sealed record ReinstallPlan(IReadOnlyList<ReinstallTarget> Targets, ReinstallWish Wish, OperationRecord? Interrupted)
    : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => false;

    /// <summary>Installs of other products that the user may fear for, and that stay as they are.</summary>
    public IReadOnlyList<(string Title, string Path)> Stays { get; init; } = [];
}

/// <summary>Replaces installs by clean copies, or makes them for the first time.</summary>
/// <param name="target">The product, with the installs that are meant.</param>
/// <param name="request">What is asked for.</param>
/// <param name="tools">What it works with.</param>
public sealed class ReinstallRemedy(RemedyTarget target, ReinstallRequest request, OperationTools tools)
    : OperationRemedy<ReinstallPlan, ReinstallOutcome>(target.Machine, target.Profile.Product, tools), IDisposable
{
    private readonly List<SourceList> sources = [];

    /// <inheritdoc/>
    public override string Name => request.Command;

    private ReinstallChoice Choice => new(Machine, target.Catalog);

    private Reinstaller Reinstaller => new(Machine, Tools) { Limits = request.Limits, Also = request.Also };

    /// <summary>An interrupted run that has come as far as to say which installs it is about; null for none.</summary>
    public static OperationRecord? FindBegun(Machine machine, string command, string product) =>
        Operation.FindInterrupted(machine.Home, command, product) is { } left && ReinstallStep.TargetsOf(left).Count > 0 ? left : null;

    /// <inheritdoc/>
    public override Task<ReinstallPlan> PlanAsync(CancellationToken cancel)
    {
        var interrupted = FindBegun(Machine, Name, target.Profile.Product);
        IReadOnlyList<(LoadedProfile Loaded, string Path)> chosen = interrupted is null
            ? Choice.Of(target.Loaded, request.Scope, target.Installs, request.NewPlace)
            : [.. ReinstallStep.TargetsOf(interrupted).Select(t => (target.Catalog.Of(t.Product), t.Path))];
        if (interrupted is not null && request.NamedInstall is { } named && chosen.All(c => c.Path != Folder.RealPathOf(named)))
        {
            throw new MuktaException(
                ExitCode.BadInput, $"A {Name} of another install of {target.Profile.Title} was begun and has not ended.",
                string.Join('\n', chosen.Select(c => PathBytes.Shown(c.Path))),
                $"Continue that one, or undo it with: mukta undo {interrupted.Header.Operation}");
        }

        if (interrupted is not null && chosen.FirstOrDefault(c => ReinstallStep.IsTakenMeanwhile(Machine.Root, interrupted, c.Path)) is
            { Path: { } taken, Loaded.Profile.Title: var title })
        {
            throw new MuktaException(
                ExitCode.Blocked, $"A {Name} of {title} was begun when nothing was there. Now something is, so nothing was changed.",
                PathBytes.Shown(taken),
                $"Give the one that was begun up with: mukta undo {interrupted.Header.Operation}. Then run the same command again.");
        }

        if (interrupted is null)
            RefuseNewer(chosen);
        var around = new ReinstallSurroundings(Machine, target.Catalog, request.Wish, request.Also, Tools.Meter);
        var targets = chosen.Select(c => TargetOf(c.Loaded, c.Path)
            .Looked(around, interrupted is not null && ReinstallStep.IsDone(interrupted, ReinstallStep.ChangedOver, c.Path), cancel))
            .ToList();
        if (interrupted is null && request.Wish.Keep.FirstOrDefault(g => targets.All(
            t => t.Before?.Strays.Any(s => PathGlob.Fits(g, s.Path)) != true)) is { } vain)
        {
            throw new MuktaException(
                ExitCode.BadInput, "No file beside those of the manifest matches this pattern, so nothing was changed.",
                PathBytes.Shown(vain), "Put the pattern in quotes. The plan names the files: add --dry-run and leave --keep out.");
        }

        return Task.FromResult(new ReinstallPlan(targets, request.Wish, interrupted) { Stays = StaysBeside(targets) });
    }

    /// <inheritdoc/>
    public void Dispose() => sources.ForEach(s => s.Dispose());

    /// <inheritdoc/>
    protected override string RequestOf(ReinstallPlan plan)
    {
        string?[] words =
        [
            "reinstall", request.Scope == ReinstallScope.Alone ? null : request.Scope == ReinstallScope.WithNeeds ? "with-needs"
            : "with-games",
            request.Wish.IsFresh ? "fresh" : null, request.Wish.DropsUserData ? "no-user-data" : null,
            request.IsOfAllInstalls ? "all-installs" : null,
            request.Wish.Keep.Count > 0 ? $"keep {string.Join(' ', request.Wish.Keep)}" : null,
        ];
        return string.Join(' ', words.OfType<string>());
    }

    /// <inheritdoc/>
    protected override string? ReleaseOf(ReinstallPlan plan) => plan.Targets[^1].Manifest.Release;

    /// <inheritdoc/>
    protected override IReadOnlyList<string> InstallsOf(ReinstallPlan plan) => [.. plan.Targets.Select(t => t.Path)];

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(ReinstallPlan plan) =>
        plan.Targets.Where(t => Directory.Exists(t.Path))
        .Select(t => new TouchedPlaces(t.Guard, [t.Path], [.. t.Profile.Services.Select(s => s.Unit)]));

    /// <inheritdoc/>
    protected override async Task ProveOwnAsync(ReinstallPlan plan, CancellationToken cancel)
    {
        ServiceRights.Prove(Tools, Machine, [.. plan.Targets.SelectMany(t => t.Profile.Services).Select(s => s.Unit)]);
        await Reinstaller.ProveAsync(plan.Targets, plan.Interrupted is null, cancel).ConfigureAwait(false);
    }

    /// <inheritdoc/>
    protected override Task<ReinstallOutcome> DoAsync(
        Operation operation, InstallLocks locks, ReinstallPlan plan, CancellationToken cancel) =>
        Reinstaller.RunAsync(operation, locks, plan.Wish, plan.Targets, cancel);

    private void RefuseNewer(IReadOnlyList<(LoadedProfile Loaded, string Path)> chosen)
    {
        foreach (var (loaded, path) in chosen.Where(c => Directory.Exists(c.Path)))
        {
            using var install = Folder.Open(path);
            InstalledRelease.RefuseNewer(
                install, ManifestOf(loaded), loaded == target.Loaded ? request.Release : null, $"mukta {Name} {loaded.Profile.Product}");
        }
    }

    private Manifest ManifestOf(LoadedProfile loaded)
    {
        var file = loaded == target.Loaded && target.NamedManifest is { } named ? named : loaded.ManifestFile;
        file.Value.RefuseWithoutSizes(file.Source ?? file.Path);
        return file.Value;
    }

    private ReinstallTarget TargetOf(LoadedProfile loaded, string path)
    {
        var manifest = ManifestOf(loaded);
        var list = request.SourcesOf(loaded, manifest);
        sources.Add(list);
        return new ReinstallTarget
        {
            Profile = loaded.Profile,
            Manifest = manifest,
            Path = path,
            Sources = list.Sources,
            Guard = request.GuardOf(loaded),
            Inside =
            [.. (loaded == target.Loaded ? target.OtherInstalls : Choice.OfOthers(loaded))
            .Where(i => i.StartsWith(path + "/", StringComparison.Ordinal)).Select(i => i[(path.Length + 1)..])],
        };
    }

    private List<(string Title, string Path)> StaysBeside(List<ReinstallTarget> targets)
    {
        var (all, product) = (target.Catalog.Profiles, target.Profile);
        return [.. all.Where(
            p => targets.All(t => t.Profile.Product != p.Profile.Product)
            && (p.Profile.Needs.Contains(product.Product) || product.Needs.Contains(p.Profile.Product)))
            .SelectMany(p => Choice.Installs(p).Select(path => (p.Profile.Title, path)))];
    }
}
