using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host.Access;
using Mukta.Host.Caches;
using Mukta.Host.Interference;
using Mukta.Host.Network;
using Mukta.Host.Outages;
using Mukta.Host.Packages;
using Mukta.Host.Processes;
using Mukta.Host.Runtime;
using Mukta.Host.Services;
using Mukta.Host.Shortcuts;
using Mukta.Host.Space;
using Mukta.Host.SystemHealth;
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

    private const string Offline = "--offline", NotRunning = "the machine is not running";

    private static readonly TimeSpan NetworkLimit = TimeSpan.FromSeconds(3);

    private readonly Dictionary<MirrorSample, Task<MirrorFacts>> mirrors = [];
    private readonly Dictionary<Uri, Task<(OutagePage? Page, string? Reason)>> pages = [];

    private Machine Machine => around.Machine;

    /// <summary>Checks products.</summary>
    /// <param name="products">The product, and what it needs.</param>
    /// <param name="install">The install of the first that the user chose; null for the one that is found.</param>
    /// <param name="cancel">Ends it.</param>
    public async Task<IReadOnlyList<ProductCheck>> OfAsync(IReadOnlyList<LoadedProfile> products, string? install, CancellationToken cancel)
    {
        var subjects = new List<Subject>();
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

    private sealed record Subject(
        LoadedProfile Loaded, Manifest? Manifest, InstallFacts Facts, IReadOnlyList<PendingOperation> Pending)
    {
        public Profile Profile => Loaded.Profile;

        /// <summary>True for the product that was asked for: what concerns the whole machine is said with it, once.</summary>
        public bool IsFirst { get; init; }

        /// <summary>The installs of all products that are checked.</summary>
        public IReadOnlyList<string> Installs { get; init; } = [];

        public string? Install => Facts.Chosen?.Path;

        /// <summary>What it needs from the machine, looked at once; null if the profile asks for nothing or there is no install.</summary>
        public required Lazy<RuntimeFacts?> Runtime { get; init; }
    }

    private Subject Look(LoadedProfile loaded, string? named)
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
        return new Subject(loaded, manifest, facts, pending) { Runtime = new(() => RuntimeOf(loaded.Profile, chosen?.Path)) };
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

    private async Task<ProductCheck> CheckAsync(Subject subject, CancellationToken cancel)
    {
        Task<AreaResult>[] areas =
        [
            Task.FromResult(AreaResult.Of(
                Area.Install, InstallFindings.Of(subject.Profile, subject.Facts).Concat(PendingFindings.Of(subject.Pending)),
                Summary(subject))),
            Guarded(Area.Processes, FindingKind.ProcessesHidden, _ => Processes(subject), cancel),
            GuardedAsync(Area.Services, FindingKind.ServicesUnknown, token => ServicesAsync(subject, token), cancel),
            Guarded(Area.Caches, FindingKind.CacheUnreadable, token => Caches(subject, token), cancel),
            Guarded(Area.Shortcuts, FindingKind.ShortcutUnreadable, _ => Shortcuts(subject), cancel),
            Guarded(Area.Runtime, FindingKind.RuntimeUnknown, _ => Runtime(subject), cancel),
            GuardedAsync(Area.System, FindingKind.SystemUnknown, token => AtOnce(() => SystemAsync(subject, token)).Unwrap(), cancel),
            GuardedAsync(
                Area.Interference, FindingKind.InterferenceUnknown, token => AtOnce(() => InterferenceAsync(subject, token)).Unwrap(),
                cancel),
            Guarded(Area.Space, FindingKind.SpaceUnknown, _ => Space(subject), cancel),
            Guarded(Area.Access, FindingKind.AccessUnknown, token => Access(subject, token), cancel),
            GuardedAsync(Area.Network, FindingKind.NetworkUnknown, token => NetworkAsync(subject, token), cancel),
            GuardedAsync(Area.Outages, FindingKind.OutageUnknown, token => OutagesAsync(subject, token), cancel),
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
            return NotKnown(area, unknown, $"it was not done after {Limit.TotalSeconds:0} s");
        }
        catch (MuktaException e)
        {
            return NotKnown(area, unknown, $"{e.What.TrimEnd('.')}: {e.Where}", e.Next.TrimEnd('.'));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return NotKnown(area, unknown, e.Message.TrimEnd('.'));
        }
    }

    private static AreaResult NotKnown(Area area, FindingKind kind, string why, string? advice = null) =>
        AreaResult.Of(area, [new CheckFinding(kind, Verdict.Unknown, area.ToString(), why, Advice: advice)], "");

    private static AreaResult WithoutInstall(Area area, FindingKind kind) => NotKnown(area, kind, "there is no install to check");

    private static string Summary(Subject subject) => subject.Facts.Chosen?.Evidence is { } evidence
        ? $"{(subject.Manifest?.Release is { } release ? $"{release}, " : "")}all {Units.Count(evidence.Listed, "name")} and sizes"
        : "";

    private static AreaResult Processes(Subject subject)
    {
        if (subject.Install is null && subject.Profile.Processes.Count == 0)
            return WithoutInstall(Area.Processes, FindingKind.ProcessesHidden);
        using var folder = subject.Install is { } install ? Disk.Folder.Open(install) : null;
        var look = new ProcessTable().Using(folder is null ? [] : [folder.RealPath], subject.Profile.Processes);
        return AreaResult.Of(Area.Processes, ProcessFindings.Of(look), "not running");
    }

    private async Task<AreaResult> ServicesAsync(Subject subject, CancellationToken cancel)
    {
        var expected = subject.Profile.Services;
        if (expected.Count == 0)
            return AreaResult.Skipped(Area.Services, "none");
        var states = await new ServiceRestorer(around.Services, around.Time).LookAsync(expected, cancel).ConfigureAwait(false);
        var findings = ServiceFindings.Of(expected, states).ToList();
        if (findings.Count == 0 && states.Any(s => s.Active is null))
        {
            findings.Add(new CheckFinding(
                FindingKind.ServicesUnknown, Verdict.Unknown, expected[0].Unit,
                "enabled; whether it is running cannot be seen on a disk"));
        }

        return AreaResult.Of(Area.Services, findings, $"{string.Join(", ", expected.Select(e => e.Unit))} ok");
    }

    private AreaResult Caches(Subject subject, CancellationToken cancel)
    {
        if (subject.Profile.Caches.Count == 0 && subject.Profile.Temporary.Count == 0)
            return AreaResult.Skipped(Area.Caches, "none");
        var caches = new CacheLook(Machine).At(subject.Profile, subject.Install, cancel);
        return AreaResult.Of(
            Area.Caches, CacheFindings.Of(caches),
            caches.Count == 0 ? "none" : $"{Units.Count(caches.Count, "folder")}, {Units.Bytes(caches.Sum(c => c.Size.Bytes))}");
    }

    private AreaResult Shortcuts(Subject subject)
    {
        if (subject.Profile.Shortcuts.Count == 0)
            return AreaResult.Skipped(Area.Shortcuts, "none");
        if (subject.Install is not { } install)
            return WithoutInstall(Area.Shortcuts, FindingKind.ShortcutUnreadable);
        var entries = new ShortcutLook(Machine).At(subject.Profile, install);
        return AreaResult.Of(Area.Shortcuts, ShortcutFindings.Of(entries), $"{Units.Count(entries.Count, "entry", "entries")} ok");
    }

    private static AreaResult Runtime(Subject subject)
    {
        var needs = subject.Profile.Runtime;
        if (needs.IsEmpty)
            return AreaResult.Skipped(Area.Runtime, "not checked: the profile has no requirements");
        if (subject.Install is null)
            return WithoutInstall(Area.Runtime, FindingKind.RuntimeUnknown);
        var facts = subject.Runtime.Value!;
        IReadOnlyCollection<string> published = subject.Manifest?.Files.Select(f => f.Path).ToList() ?? [];
        var summary = $"{Units.Count(facts.Programs.Count, "program")}, "
            + $"{Units.Count(facts.Programs.SelectMany(p => p.Libraries).DistinctBy(l => l.Name).Count(), "library", "libraries")}";
        return AreaResult.Of(Area.Runtime, RuntimeFindings.Of(needs, facts, published), summary);
    }

    private RuntimeFacts? RuntimeOf(Profile profile, string? install)
    {
        if (install is null || profile.Runtime.IsEmpty)
            return null;
        var libraryPath = new ShortcutLook(Machine).At(profile, install).Select(e => e.Entry?.Exec?.Variable("LD_LIBRARY_PATH"))
            .FirstOrDefault(v => v is not null) ?? "";
        return RuntimeFacts.Of(Machine, profile.Runtime, install, libraryPath);
    }

    private async Task<AreaResult> SystemAsync(Subject subject, CancellationToken cancel)
    {
        if (!subject.IsFirst && subject.Profile.Runtime.IsEmpty)
            return AreaResult.Skipped(Area.System, "not checked: the profile has no requirements");
        var look = new SystemLook(Machine, PackageManagers.Of(Machine), SystemPlaces.Usual);
        var packages = subject is { Install: { } install, Runtime.Value: { } runtime }
            ? await look.PackagesAsync(runtime, install, cancel).ConfigureAwait(false) : null;
        var machine = await look.OfMachineAsync(cancel).ConfigureAwait(false);
        var findings = (packages is null ? [] : SystemFindings.Of(packages))
            .Concat(SystemFindings.Of(subject.IsFirst ? machine : new SystemFacts { Manager = machine.Manager }, subject.Profile.Runtime));
        var memory = machine.MemoryFree is { } free ? $", {Units.Bytes(free)} of memory free" : "";
        return AreaResult.Of(Area.System, findings, $"packages as installed{memory}");
    }

    private async Task<AreaResult> InterferenceAsync(Subject subject, CancellationToken cancel)
    {
        var look = new InterferenceLook(Machine, around.Services, around.Environment);
        var facts = await look.OfAsync(new LookedProduct(subject.Profile, subject.Install, subject.Installs), cancel).ConfigureAwait(false);
        var ofMachine = subject.IsFirst ? await look.OfMachineAsync(cancel).ConfigureAwait(false) : new InterferenceFacts();
        if (!subject.IsFirst)
            facts = facts with { Hidden = 0 }; // Said with the first.
        return AreaResult.Of(
            Area.Interference, InterferenceFindings.Of(facts).Concat(InterferenceFindings.Of(ofMachine)), "nothing in the way");
    }

    private AreaResult Space(Subject subject)
    {
        var held = new OperationCatalog(Machine.Home, around.Time).All(subject.Install is { } install ? [install] : [], [])
            .Sum(o => o.Size.Bytes);
        var places = new SpaceLook(Machine)
            .At(subject.Install, subject.Facts.Chosen?.Evidence, subject.Manifest?.Files.Max(f => (long?)f.Size) ?? 0);
        return AreaResult.Of(Area.Space, SpaceFindings.Of(places, held), $"{Units.Bytes(places.Min(p => p.Room?.FreeBytes) ?? 0)} free");
    }

    private AreaResult Access(Subject subject, CancellationToken cancel)
    {
        if (subject.Install is not { } install)
            return WithoutInstall(Area.Access, FindingKind.AccessUnknown);
        var facts = new AccessLook(Machine).At(subject.Profile, install, cancel);
        return AreaResult.Of(
            Area.Access, AccessFindings.Of(facts, install, subject.Profile.Runtime.Programs.Count > 0),
            "readable and writable");
    }

    private async Task<AreaResult> NetworkAsync(Subject subject, CancellationToken cancel)
    {
        if (isOffline)
            return AreaResult.Skipped(Area.Network, Offline);
        if (!Machine.IsLive)
            return NotKnown(Area.Network, FindingKind.NetworkUnknown, NotRunning);
        var samples = MirrorSample.Of(subject.Loaded.ManifestUrl, subject.Profile.Manifest?.Mirrors ?? [], subject.Manifest);
        var facts = await Task.WhenAll(samples.Select(
            s => Once(
            mirrors, s, () => new MirrorProbe(around.Http, around.Time).TryAsync(s, NetworkLimit, cancel)))).ConfigureAwait(false);
        var findings = NetworkFindings.Of(facts, NetworkSettings.Of(Machine, around.Environment)).ToList();
        return AreaResult.Of(Area.Network, findings, string.Join("; ", facts.Select(Summary)));
    }

    private static string Summary(MirrorFacts facts)
    {
        var answered = facts.Steps.Where(s => s.Step != NetworkStep.Sample).Aggregate(TimeSpan.Zero, (sum, step) => sum + step.Took);
        return $"{Disk.PathBytes.Shown(facts.Sample.Mirror)} answers in {answered.TotalMilliseconds:0} "
            + $"ms{(facts.Speed is { } speed ? $", {Units.Bytes((long)speed)}/s" : "")}";
    }

    private async Task<AreaResult> OutagesAsync(Subject subject, CancellationToken cancel)
    {
        if (subject.Profile.Outage is not { } url)
            return AreaResult.Skipped(Area.Outages, "not checked: the profile names no outage page");
        if (isOffline)
            return AreaResult.Skipped(Area.Outages, Offline);
        if (!Machine.IsLive)
            return NotKnown(Area.Outages, FindingKind.OutageUnknown, NotRunning);
        var (page, reason) = await Once(
            pages, url, () => new OutageLook(around.Http).AtAsync(url, NetworkLimit, cancel)).ConfigureAwait(false);
        return AreaResult.Of(Area.Outages, OutageFindings.Of(url, page, reason), "the vendor reports none");
    }

    /// <summary>Two products of one vendor share mirrors and pages: each is asked once.</summary>
    private static Task<T> Once<TKey, T>(Dictionary<TKey, Task<T>> asked, TKey key, Func<Task<T>> ask)
        where TKey : notnull
    {
        lock (asked)
            return asked.TryGetValue(key, out var known) ? known : asked[key] = ask();
    }
}
