using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Operations;
using Mukta.Products;
using Mukta.UserData;

namespace Mukta.Remedies;

/// <summary>An older release's folder beside the current one.</summary>
/// <param name="Profile">The product.</param>
/// <param name="Path">The folder, real.</param>
/// <param name="Size">How much it holds.</param>
/// <param name="Blocked">Why it stays, as the end of the sentence "it ..."; null if it may go.</param>
public sealed record OlderRelease(Profile Profile, string Path, TreeSize Size, string? Blocked);

/// <summary>The folders of older releases.</summary>
/// <param name="Releases">All that there are.</param>
public sealed record SweepPlan(IReadOnlyList<OlderRelease> Releases) : IOperationPlan
{
    /// <summary>Those that are set aside.</summary>
    public IReadOnlyList<OlderRelease> Going { get; } = [.. Releases.Where(r => r.Blocked is null)];

    /// <inheritdoc/>
    public bool IsEmpty => Going.Count == 0;

    /// <summary>Bytes that are kept.</summary>
    public long BytesKept => Going.Sum(r => r.Size.Bytes);
}

/// <summary>Sets the folders of older releases aside, as one operation.</summary>
/// <param name="machine">The machine.</param>
/// <param name="catalog">All profiles that are available.</param>
/// <param name="products">The products with their installs.</param>
/// <param name="tools">What it works with.</param>
public sealed class SweepRemedy(
    Machine machine, ProfileCatalog catalog, IReadOnlyList<(Profile Profile, IReadOnlyList<FoundInstall> Installs)> products,
    OperationTools tools)
    : OperationRemedy<SweepPlan, RemedyOutcome>(machine, products.Count == 1 ? products[0].Profile.Product : null, tools)
{
    /// <inheritdoc/>
    public override string Name => "installs";

    /// <inheritdoc/>
    protected override string RequestOf(SweepPlan plan) => "set older releases aside";

    /// <inheritdoc/>
    public override Task<SweepPlan> PlanAsync(CancellationToken cancel) => Task.FromResult(new SweepPlan(
        [.. products.SelectMany(
        p => p.Installs.Where(i => !i.IsCurrent).Select(i => Look(p.Profile, Folder.RealPathOf(i.Path), cancel)))]));

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(SweepPlan plan) => plan.Going.Select(r => new TouchedPlaces(
        new RunningGuard(
        Machine, [], $"Stop it, then run the same command again. To see it: mukta stop {PathBytes.Shown(r.Path)} -n"), [r.Path], []));

    /// <inheritdoc/>
    protected override Task<RemedyOutcome> DoAsync(Operation operation, InstallLocks locks, SweepPlan plan, CancellationToken cancel)
    {
        foreach (var release in plan.Going)
        {
            cancel.ThrowIfCancellationRequested();
            SetAside(operation, release.Path);
        }

        return Task.FromResult(new RemedyOutcome(operation.Header.Operation));
    }

    private OlderRelease Look(Profile profile, string path, CancellationToken cancel)
    {
        using var folder = Folder.Open(path);
        var users = new UserPlaces(Machine, catalog).Data(profile, path, cancel)
            .Where(u => u.Path.StartsWith(path + "/", StringComparison.Ordinal)).ToList();
        var reason = users.Count > 0 ? $"holds the user's own {PathBytes.Shown(users[0].Path)}"
            : Mount.Table().Any(m => m.Point == path || m.Point.StartsWith(path + "/", StringComparison.Ordinal))
            ? "is, or holds, another disk's mount point" : null;
        return new OlderRelease(profile, path, TreeBulk.Measure(folder, ".", cancel), reason);
    }
}
