using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests;

/// <summary>A user's home with an install of Pier, everything around it, its published release, and a service manager in memory.</summary>
internal sealed class Harbour : IDisposable
{
    private static readonly DateTime LongAgo = new(2026, 1, 2, 3, 4, 5, DateTimeKind.Utc);

    public const string Setup = "bin/setup";

    private Harbour(bool hasSetup, string? settings)
    {
        Scratch = new Scratch(inMemory: true);
        Machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? Scratch.Root : null));
        Scratch.Fill("release/bin/pier", 9_000, 1, Scratch.Program);
        Scratch.Fill("release/maps/a.pak", 20_000, 2);
        Scratch.Fill("release/maps/b.pak", 8_192, 3);
        Scratch.Write(
            $"release/{Setup}",
            "#!/bin/sh\nif [ -f ../mood ]; then . ../mood; fi\nif [ \"$1\" = remove ]; then rm -rf maps bin; fi\necho set up: $1\n"u8.ToArray(), Scratch.Program);
        File.CreateSymbolicLink(Scratch.At("release/maps/main.pak"), "a.pak");
        Scratch.CopyTree("release", "games/pier");
        File.Delete(Scratch.At("games/pier/maps/main.pak"));
        Scratch.Flip("games/pier/maps/a.pak", 5_000);
        File.Delete(Scratch.At("games/pier/maps/b.pak"));
        Scratch.Write("games/pier/mods/mine.txt", "a mod of mine");
        Scratch.Write("games/pier/screenshots/first.raw", "a picture");
        File.SetUnixFileMode(Scratch.At("games/pier/screenshots"), (UnixFileMode)0b111_000_000);
        File.CreateSymbolicLink(Scratch.At("games/pier/screenshots/best"), "first.raw");
        Scratch.Write("games/pier/inside/other/bin/other", "another game");
        Scratch.Write(".local/share/pier/logbooks/spring.log", "sailed");
        Scratch.Write(".config/pier/settings", "loud");
        Scratch.Fill(".cache/pier/pages-1/a", 500, 9);
        Scratch.Write(".local/share/applications/pier.desktop", "[Desktop Entry]\nType=Application\nName=Pier\nExec=/gone/pier --mine\n");
        Directory.CreateDirectory(Scratch.At(".local/state/mukta/kept"));
        Scratch.Write("profiles/pier.yaml", $$"""
            format: mukta.profile/1
            product: pier
            title: Pier
            kind: game
            installs: {places: ["${home}/games/pier"], marker: bin/pier}
            services: [{unit: pier.service}]
            caches: [{name: pages, places: ["${cache}/pier/pages-*"]}]
            user-data: ["${data}/pier/logbooks", "${install}/screenshots"]
            shortcuts: [{entry: "${data}/applications/pier.desktop", program: bin/pier}]
            leftovers: ["${config}/pier"]
            {{(settings is null ? "" : $"settings: {settings}")}}
            {{(hasSetup ? $"setup: {{program: {Setup}, install: {{arguments: [install], restart: [10]}}, remove: {{arguments: [remove], restart: [10]}}, then: {{files: [bin/pier]}}}}" : "")}}
            """);
        using (var release = Folder.Open(Scratch.At("release")))
        {
            Manifest = ManifestMaker.Make(
                release, new ManifestRequest { PieceLength = 4096, Product = "pier", Release = "1" }, null, default).Manifest;
            using var file = File.Create(Scratch.At("pier.meta4"));
            MetalinkWriter.Write(Manifest, file);
        }

        foreach (var path in Directory.EnumerateFileSystemEntries(Scratch.Root, "*", SearchOption.AllDirectories).Append(Scratch.Root))
            Directory.SetLastWriteTimeUtc(path, LongAgo);
        Catalog = ProfileCatalog.Read(Scratch.At("profiles"), _ => null);
    }

    public Scratch Scratch { get; }

    public Machine Machine { get; }

    public ProfileCatalog Catalog { get; }

    public Manifest Manifest { get; }

    public FakeServices Services { get; } = new();

    public string Path => Scratch.At("games/pier");

    public static Harbour Make(bool hasSetup = false, string? settings = null) => new(hasSetup, settings);

    /// <summary>Bytes, names, kinds, modes and times of all but Mukta's own state.</summary>
    public List<string> Look() =>
        [.. Scratch.Snapshot("", except: ".local/state").Where(f => !f.Key.Contains("/.mukta", StringComparison.Ordinal))
        .Select(f => $"{f.Key} {f.Value} {new FileInfo(Scratch.At(f.Key)).LastWriteTimeUtc.Ticks}")];

    public async Task<ReinstallOutcome> ReinstallAsync(ReinstallWish? wish = null)
    {
        using var remedy = Reinstall(wish ?? new ReinstallWish(false, false));
        var plan = await remedy.PlanAsync(default);
        await remedy.ProveAsync(plan, stopsFirst: false, default);
        return (await remedy.ApplyAsync(plan, default))!;
    }

    public ReinstallRemedy Reinstall(ReinstallWish wish) => new(
        RemedyTarget(),
        new ReinstallRequest
        {
            Command = "reinstall",
            Wish = wish,
            SourcesOf = (_, manifest) => SourceList.Of(
                new SourceWish(new HttpSettings("mukta/test"), new FetchLimits()) { Named = [Scratch.At("release")], IsOffline = true }, manifest,
                TimeProvider.System, Serilog.Core.Logger.None),
            GuardOf = _ => Guard,
        },
        Tools);

    public OperationTools Tools => new(Services, new HastyTime()) { Begun = Remember };

    private RunningGuard Guard => new(Machine, ["pier"], "End it.");

    public void Remember(OperationHeader header, string place) => Mukta.State.OperationIndex.TryPut(Machine, header, place);

    /// <summary>Our own folder's birth, in the moments before anything is done, shows in the time of the folder it is in.</summary>
    public void ForgetOurBirth()
    {
        if (Directory.Exists(Path) && !File.Exists(Scratch.At("games/pier/.mukta/lock")))
            Directory.SetLastWriteTimeUtc(Path, LongAgo);
    }

    public OperationCatalog Operations =>
        new(Machine.Home, TimeProvider.System, new SystemUndo(Services, default) { Units = new HashSet<string> { "pier.service" } });

    /// <summary>
    /// The product as a remedy is given it. After a remove that was interrupted the install is the one that it was about.
    /// </summary>
    public RemedyTarget RemedyTarget() => new(Machine, Catalog, Catalog.Of("pier"), [Path])
    {
        NamedManifest = new LazyManifest(Scratch.At("pier.meta4")),
        OtherInstalls = [Scratch.At("games/pier/inside/other")],
        Guard = Guard,
    };

    public void UndoAll() => Undos.All(Operations, []);

    public void UndoTheUndos() => Undos.OfUndos(Operations, []);

    public void Dispose() => Scratch.Dispose();
}

/// <summary>One service in memory, up and enabled.</summary>
internal sealed class FakeServices : IServiceControl
{
    public string Active { get; set; } = "active";

    public bool CanChange => true;

    public Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<ServiceState>>([.. units.Select(u => new ServiceState(u, "loaded", "enabled", Active))]);

    public Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<string>>([]);

    public Task DoAsync(ServiceAct act, string unit, CancellationToken cancel)
    {
        Active = act switch { ServiceAct.Start => "active", ServiceAct.Stop => "inactive", _ => Active };
        return Task.CompletedTask;
    }
}

/// <summary>Time in which every wait is over at once.</summary>
internal sealed class HastyTime : TimeProvider
{
    public override ITimer CreateTimer(TimerCallback callback, object? state, TimeSpan dueTime, TimeSpan period) =>
        System.CreateTimer(callback, state, dueTime > TimeSpan.Zero ? TimeSpan.Zero : dueTime, period);
}
