using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Caches;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>The caches that are cleared.</summary>
/// <param name="Caches">None of them is blocked.</param>
public sealed record ClearCachesPlan(IReadOnlyList<CacheFolder> Caches) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => Caches.Count == 0;

    /// <summary>How much they hold.</summary>
    public long Bytes => Caches.Sum(c => c.Size.Bytes);
}

/// <summary>What became of one cache.</summary>
/// <param name="Cache">As it was.</param>
/// <param name="KeptAt">Where it is kept now; null if it is permanently deleted, or was left.</param>
/// <param name="Failure">Why it was left; null if it is cleared.</param>
public sealed record ClearedCache(CacheFolder Cache, string? KeptAt, MuktaException? Failure = null);

/// <summary>What became of the caches.</summary>
/// <param name="Operation">The operation; null if nothing is kept.</param>
/// <param name="Cleared">Each of them.</param>
public sealed record ClearCachesOutcome(string? Operation, IReadOnlyList<ClearedCache> Cleared) : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code => Cleared.All(c => c.Failure is null) ? ExitCode.Done : ExitCode.Blocked;
}

/// <summary>
/// Clears caches: the folder stays, with its owner and mode, and what was in it goes to the kept files in one rename. A file that stands
/// where a folder belongs, and what is temporary, goes there whole.
/// </summary>
/// <param name="target">The product.</param>
/// <param name="names">The profile's names of the caches that are meant; none for every one that may be cleared.</param>
/// <param name="tools">What it works with.</param>
public sealed class ClearCachesRemedy(RemedyTarget target, IReadOnlyList<string> names, OperationTools tools)
    : OperationRemedy<ClearCachesPlan, ClearCachesOutcome>(target.Machine, target.Profile.Product, tools)
{
    /// <inheritdoc/>
    public override string Name => "caches";

    /// <summary>True to delete instead of keeping.</summary>
    public bool IsPermanent { get; init; }

    /// <inheritdoc/>
    protected override string RequestOf(ClearCachesPlan plan) => IsPermanent ? "clear permanently" : "clear";

    /// <inheritdoc/>
    /// <exception cref="MuktaException">A name is unknown, or one that is named may not be cleared.</exception>
    public override Task<ClearCachesPlan> PlanAsync(CancellationToken cancel)
    {
        IReadOnlyList<string> known = [.. target.Profile.Caches.Select(c => c.Name), CacheFolder.Temporary];
        if (names.FirstOrDefault(n => !known.Contains(n)) is { } unknown)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"The profile has no cache \"{PathBytes.Shown(unknown)}\".", target.Loaded.File,
                $"Name one of: {string.Join(", ", known)}.");
        }

        var caches = target.InstallsOrNone.SelectMany(i => new CacheLook(Machine).At(target.Profile, i, cancel))
            .DistinctBy(c => c.Path).ToList();
        var chosen = names.Count == 0 ? caches.Where(c => c.IsClearedUnnamed).ToList()
            : [.. caches.Where(c => names.Contains(c.Name))];
        return chosen.Find(c => c.Blocked is not null) is { } blocked
            ? throw new MuktaException(
                ExitCode.Blocked, $"The cache \"{blocked.Name}\" stays: it {blocked.Blocked}.", PathBytes.Shown(blocked.Path),
                "Leave it out, or change the profile.")
            : Task.FromResult(new ClearCachesPlan(chosen));
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(ClearCachesPlan plan) => [target.Touched(plan.Caches.Select(c => c.Path), [])];

    /// <inheritdoc/>
    protected override Task<ClearCachesOutcome> DoAsync(
        Operation operation, InstallLocks locks, ClearCachesPlan plan, CancellationToken cancel)
    {
        var cleared = new List<ClearedCache>();
        foreach (var cache in plan.Caches)
        {
            cancel.ThrowIfCancellationRequested();
            target.Guard.Refuse([.. target.Installs, cache.Path], []); // The one before may have taken long.
            cleared.Add(Clear(operation, cache));
        }

        return Task.FromResult(new ClearCachesOutcome(IsPermanent ? null : operation.Header.Operation, cleared));
    }

    /// <inheritdoc/>
    protected override void EndWith(Operation operation, ClearCachesOutcome outcome, CancellationToken cancel)
    {
        if (IsPermanent && outcome.Code == ExitCode.Done)
            operation.EndAndDelete(cancel);
        else
            operation.End();
    }

    private ClearedCache Clear(Operation operation, CacheFolder cache)
    {
        try
        {
            var (area, path) = operation.For(cache.Path);
            if (operation.Root.Look(path) is not { } now || now.Kind != cache.Kind)
            {
                return new ClearedCache(
                    cache, null, new DiskException(DiskException.NoEntry, "find what was there a moment ago", cache.Path));
            }

            var kept = now.Kind == NodeKind.Folder && !cache.IsTemporary ? area.EmptyFolder(path) : area.SetAside(path);
            return new ClearedCache(cache, IsPermanent ? null : operation.Shown(kept));
        }
        catch (DiskException e)
        {
            return new ClearedCache(cache, null, e);
        }
    }
}
