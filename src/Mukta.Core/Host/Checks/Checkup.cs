using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host.Runtime;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;

namespace Mukta.Host.Checks;

/// <summary>How everything around one product's files stands.</summary>
/// <param name="Loaded">The product.</param>
/// <param name="Install">The install that was checked; null if there is none.</param>
/// <param name="Areas">Each area once, in the order in which a technician looks.</param>
public sealed record ProductCheck(LoadedProfile Loaded, string? Install, IReadOnlyList<AreaResult> Areas)
{
    /// <summary>The worst of what was found.</summary>
    public Verdict Verdict => Areas.Max(a => a.Verdict);
}

/// <summary>What a checkup needs from outside.</summary>
/// <param name="Machine">The machine.</param>
/// <param name="Services">Its service manager.</param>
/// <param name="Environment">The environment variables.</param>
/// <param name="Http">How Mukta goes to the network.</param>
/// <param name="Time">For dates and durations.</param>
/// <param name="Recorded">Installs of a product that were recorded.</param>
public sealed record CheckSurroundings(
    Machine Machine, IServiceControl Services, Func<string, string?> Environment, HttpSettings Http, TimeProvider Time,
    Func<string, IReadOnlyList<string>> Recorded)
{
    /// <summary>True for a product that a profile describes; what has none is reported.</summary>
    public Func<string, bool> HasProfile { get; init; } = _ => true;
}

/// <summary>
/// Looks at everything around the files of a product and of what it needs, all areas side by side. What does not answer
/// within <see cref="Limit"/> is not known.
/// </summary>
/// <param name="around">What it needs from outside.</param>
/// <param name="isOffline">True to leave the network out.</param>
public sealed class Checkup(CheckSurroundings around, bool isOffline)
{
    /// <summary>The longest that any area may take.</summary>
    public static readonly TimeSpan Limit = TimeSpan.FromSeconds(4);

    private readonly AreaChecks checks = new(around, isOffline);

    private Machine Machine => around.Machine;

    /// <summary>Checks products.</summary>
    /// <param name="products">The product, and what it needs.</param>
    /// <param name="install">The install of the first that the user chose; null for the one that is found.</param>
    /// <param name="cancel">Ends it.</param>
    public async Task<IReadOnlyList<ProductCheck>> OfAsync(IReadOnlyList<LoadedProfile> products, string? install, CancellationToken cancel)
    {
        var subjects = new List<CheckSubject>();
        foreach (var product in products)
        {
            subjects.Add(
                await AtOnce(() => Look(product, product == products[0] ? install : null))
                .WaitAsync(Limit, around.Time, cancel).ConfigureAwait(false));
        }

        IReadOnlyList<string> installs = [.. subjects.Select(s => s.Install).OfType<string>()];
        return await Task.WhenAll(subjects.Select(s => CheckAsync(s with { IsFirst = s == subjects[0], Installs = installs }, cancel)))
            .ConfigureAwait(false);
    }

    private CheckSubject Look(LoadedProfile loaded, string? named)
    {
        var (manifest, fault) = loaded.TryReadManifest();
        IReadOnlyList<Manifest> manifests = manifest is null ? [] : [manifest];
        var finder = new InstallFinder(Machine.Folders);
        var found = finder.Find(loaded.Profile, manifests, around.Recorded(loaded.Profile.Product));
        var chosen = named is null ? found.FirstOrDefault(f => f.IsCurrent)
            : InstallFinder.At(named, loaded.Profile, manifests)
            ?? new FoundInstall(named, IsCurrent: true, HasMarker: false, manifest is null ? null : InstallEvidence.Of(named, manifest));
        var pending = new OperationCatalog(Machine.Home, around.Time)
            .Pending(loaded.Profile.Product, found.Append(chosen).OfType<FoundInstall>().Select(f => f.Path));
        var facts = new InstallFacts(found, chosen, named is not null, fault)
        {
            Expired = manifest?.Expires is { } expires && expires <= around.Time.GetUtcNow() ? expires : null,
            Newer = manifest is null || chosen is null ? null : NewerIn(chosen.Path, manifest),
            NeedsWithoutProfile = [.. loaded.Profile.Needs.Where(n => !around.HasProfile(n))],
        };
        return new CheckSubject(loaded, manifest, facts, pending) { Runtime = new(() => RuntimeOf(loaded.Profile, chosen?.Path)) };
    }

    private RuntimeFacts? RuntimeOf(Profile profile, string? install)
    {
        if (install is null || profile.Runtime.IsEmpty)
            return null;
        var libraryPath = new ShortcutLook(Machine).At(profile, install).Select(e => e.Entry?.Exec?.Variable("LD_LIBRARY_PATH"))
            .FirstOrDefault(v => v is not null) ?? "";
        return RuntimeFacts.Of(Machine, profile.Runtime, install, libraryPath);
    }

    private static string? NewerIn(string path, Manifest manifest)
    {
        try
        {
            using var install = Folder.Open(path);
            return InstalledRelease.NewerThan(install, ReleaseFacts.Of(manifest))?.Title;
        }
        catch (MuktaException)
        {
            return null; // What keeps it from being read is said elsewhere.
        }
    }

    private async Task<ProductCheck> CheckAsync(CheckSubject subject, CancellationToken cancel)
    {
        Task<AreaResult>[] areas =
        [
            Task.FromResult(AreaChecks.Install(subject)),
            Guarded(Area.Processes, FindingKind.ProcessesHidden, _ => AreaChecks.Processes(subject), cancel),
            GuardedAsync(Area.Services, FindingKind.ServicesUnknown, token => checks.ServicesAsync(subject, token), cancel),
            Guarded(Area.Caches, FindingKind.CacheUnreadable, token => checks.Caches(subject, token), cancel),
            Guarded(Area.Shortcuts, FindingKind.ShortcutUnreadable, _ => checks.Shortcuts(subject), cancel),
            Guarded(Area.Runtime, FindingKind.RuntimeUnknown, _ => AreaChecks.Runtime(subject), cancel),
            GuardedAsync(
                Area.System, FindingKind.SystemUnknown,
                token => AtOnce(() => checks.SystemAsync(subject, token)).Unwrap(), cancel),
            GuardedAsync(
                Area.Interference, FindingKind.InterferenceUnknown,
                token => AtOnce(() => checks.InterferenceAsync(subject, token)).Unwrap(), cancel),
            Guarded(Area.Space, FindingKind.SpaceUnknown, _ => checks.Space(subject), cancel),
            Guarded(Area.Access, FindingKind.AccessUnknown, token => checks.Access(subject, token), cancel),
            GuardedAsync(Area.Network, FindingKind.NetworkUnknown, token => checks.NetworkAsync(subject, token), cancel),
            GuardedAsync(Area.Outages, FindingKind.OutageUnknown, token => checks.OutagesAsync(subject, token), cancel),
        ];
        return new ProductCheck(subject.Loaded, subject.Install, await Task.WhenAll(areas).ConfigureAwait(false));
    }

    private Task<AreaResult> Guarded(Area area, FindingKind unknown, Func<CancellationToken, AreaResult> look, CancellationToken cancel) =>
        GuardedAsync(area, unknown, token => AtOnce(() => look(token)), cancel);

    /// <summary>
    /// Begins on a thread of its own: with many areas that wait for the disk and few cores, the thread pool would begin the last of them
    /// only when their time is nearly over.
    /// </summary>
    private static Task<T> AtOnce<T>(Func<T> look) =>
        Task.Factory.StartNew(look, CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default);

    /// <summary>An area that fails or takes too long is not known; the others go on.</summary>
    private async Task<AreaResult> GuardedAsync(
        Area area, FindingKind unknown, Func<CancellationToken, Task<AreaResult>> look, CancellationToken cancel)
    {
        using var timed = CancellationTokenSource.CreateLinkedTokenSource(cancel);
        timed.CancelAfter(Limit);
        try
        {
            return await look(timed.Token).WaitAsync(Limit, around.Time, cancel).ConfigureAwait(false);
        }
        catch (Exception e) when (e is TimeoutException or OperationCanceledException && !cancel.IsCancellationRequested)
        {
            return AreaResult.NotKnown(area, unknown, $"it was not done after {Limit.TotalSeconds:0} s");
        }
        catch (MuktaException e)
        {
            return AreaResult.NotKnown(area, unknown, $"{e.What.TrimEnd('.')}: {e.Where}", e.Next.TrimEnd('.'));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return AreaResult.NotKnown(area, unknown, e.Message.TrimEnd('.'));
        }
    }
}
