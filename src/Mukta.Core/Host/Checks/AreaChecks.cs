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
using Mukta.Operations;

namespace Mukta.Host.Checks;

/// <summary>Looks at one area around a product at a time: what is there, and what is wrong with it.</summary>
/// <param name="around">What it needs from outside.</param>
/// <param name="isOffline">True to leave the network out.</param>
internal sealed class AreaChecks(CheckSurroundings around, bool isOffline)
{
    private const string Offline = "--offline", NotRunning = "the machine is not running";

    private static readonly TimeSpan NetworkLimit = TimeSpan.FromSeconds(3);

    private readonly Dictionary<MirrorSample, Task<MirrorFacts>> mirrors = [];
    private readonly Dictionary<Uri, Task<(OutagePage? Page, string? Reason)>> pages = [];

    private Machine Machine => around.Machine;

    public static AreaResult Install(CheckSubject subject)
    {
        var summary = subject.Facts.Chosen?.Evidence is { } evidence
            ? $"{(subject.Manifest?.Release is { } release ? $"{release}, " : "")}all {Units.Count(evidence.Listed, "name")} and sizes"
            : "";
        return AreaResult.Of(
            Area.Install, InstallFindings.Of(subject.Profile, subject.Facts).Concat(PendingFindings.Of(subject.Pending)), summary);
    }

    public static AreaResult Processes(CheckSubject subject)
    {
        if (subject.Install is null && subject.Profile.Processes.Count == 0)
            return WithoutInstall(Area.Processes, FindingKind.ProcessesHidden);
        using var folder = subject.Install is { } install ? Disk.Folder.Open(install) : null;
        var look = new ProcessTable().Using(folder is null ? [] : [folder.RealPath], subject.Profile.Processes);
        return AreaResult.Of(Area.Processes, ProcessFindings.Of(look), "not running");
    }

    public async Task<AreaResult> ServicesAsync(CheckSubject subject, CancellationToken cancel)
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

    public AreaResult Caches(CheckSubject subject, CancellationToken cancel)
    {
        if (subject.Profile.Caches.Count == 0 && subject.Profile.Temporary.Count == 0)
            return AreaResult.Skipped(Area.Caches, "none");
        var caches = new CacheLook(Machine).At(subject.Profile, subject.Install, cancel);
        return AreaResult.Of(
            Area.Caches, CacheFindings.Of(caches),
            caches.Count == 0 ? "none" : $"{Units.Count(caches.Count, "folder")}, {Units.Bytes(caches.Sum(c => c.Size.Bytes))}");
    }

    public AreaResult Shortcuts(CheckSubject subject)
    {
        if (subject.Profile.Shortcuts.Count == 0)
            return AreaResult.Skipped(Area.Shortcuts, "none");
        if (subject.Install is not { } install)
            return WithoutInstall(Area.Shortcuts, FindingKind.ShortcutUnreadable);
        var entries = new ShortcutLook(Machine).At(subject.Profile, install);
        return AreaResult.Of(Area.Shortcuts, ShortcutFindings.Of(entries), $"{Units.Count(entries.Count, "entry", "entries")} ok");
    }

    public static AreaResult Runtime(CheckSubject subject)
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

    public async Task<AreaResult> SystemAsync(CheckSubject subject, CancellationToken cancel)
    {
        if (!subject.IsFirst && subject.Profile.Runtime.IsEmpty)
            return AreaResult.Skipped(Area.System, "not checked: the profile has no requirements");
        var manager = PackageManagers.Of(Machine);
        var look = new SystemLook(Machine, manager, SystemPlaces.Usual);
        var ofMachine = subject.IsFirst ? look.OfMachineAsync(cancel) : Task.FromResult(new SystemFacts { Manager = manager });
        var packages = subject is { Install: { } install, Runtime.Value: { } runtime }
            ? await look.PackagesAsync(runtime, install, cancel).ConfigureAwait(false) : null;
        var machine = await ofMachine.ConfigureAwait(false);
        var findings = (packages is null ? [] : SystemFindings.Of(packages)).Concat(SystemFindings.Of(machine, subject.Profile.Runtime));
        var memory = machine.MemoryFree is { } free ? $", {Units.Bytes(free)} of memory free" : "";
        return AreaResult.Of(Area.System, findings, $"packages as installed{memory}");
    }

    public async Task<AreaResult> InterferenceAsync(CheckSubject subject, CancellationToken cancel)
    {
        var look = new InterferenceLook(Machine, around.Services, around.Environment);
        var facts = await look.OfAsync(new LookedProduct(subject.Profile, subject.Install, subject.Installs), cancel).ConfigureAwait(false);
        var ofMachine = subject.IsFirst ? await look.OfMachineAsync(cancel).ConfigureAwait(false) : new InterferenceFacts();
        if (!subject.IsFirst)
            facts = facts with { Hidden = 0 }; // Said with the first.
        return AreaResult.Of(
            Area.Interference, InterferenceFindings.Of(facts).Concat(InterferenceFindings.Of(ofMachine)), "nothing in the way");
    }

    public AreaResult Space(CheckSubject subject)
    {
        var held = new OperationCatalog(Machine.Home, around.Time).All(subject.Install is { } install ? [install] : [], [])
            .Sum(o => o.Size.Bytes);
        var places = new SpaceLook(Machine)
            .At(subject.Install, subject.Facts.Chosen?.Evidence, subject.Manifest?.Files.Max(f => (long?)f.Size) ?? 0);
        return AreaResult.Of(Area.Space, SpaceFindings.Of(places, held), $"{Units.Bytes(places.Min(p => p.Room?.FreeBytes) ?? 0)} free");
    }

    public AreaResult Access(CheckSubject subject, CancellationToken cancel)
    {
        if (subject.Install is not { } install)
            return WithoutInstall(Area.Access, FindingKind.AccessUnknown);
        var facts = new AccessLook(Machine).At(subject.Profile, install, cancel);
        return AreaResult.Of(
            Area.Access, AccessFindings.Of(facts, install, subject.Profile.Runtime.Programs.Count > 0),
            "readable and writable");
    }

    public async Task<AreaResult> NetworkAsync(CheckSubject subject, CancellationToken cancel)
    {
        if (isOffline)
            return AreaResult.Skipped(Area.Network, Offline);
        if (!Machine.IsLive)
            return AreaResult.NotKnown(Area.Network, FindingKind.NetworkUnknown, NotRunning);
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

    public async Task<AreaResult> OutagesAsync(CheckSubject subject, CancellationToken cancel)
    {
        if (subject.Profile.Outage is not { } url)
            return AreaResult.Skipped(Area.Outages, "not checked: the profile names no outage page");
        if (isOffline)
            return AreaResult.Skipped(Area.Outages, Offline);
        if (!Machine.IsLive)
            return AreaResult.NotKnown(Area.Outages, FindingKind.OutageUnknown, NotRunning);
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

    private static AreaResult WithoutInstall(Area area, FindingKind kind) =>
        AreaResult.NotKnown(area, kind, "there is no install to check");
}
