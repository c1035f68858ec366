using System.Globalization;
using Mukta.Disk;
using Mukta.Host.Access;
using Mukta.Host.Caches;
using Mukta.Host.Checks;
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
using Mukta.Products;

namespace Mukta.Core.Tests.Host.Checks;

/// <summary>Every finding that a check can report: once facts that make it true, once the nearest ones that do not.</summary>
public class EveryFindingTests
{
    private static readonly Profile Pier =
        ProfileReader.Read(new StringReader(
        "format: mukta.profile/1\nproduct: pier\ntitle: Pier\nkind: game\ninstalls:\n  places: [\"${home}/games/pier\"]\n"), "test.yaml");
    private static readonly FoundInstall Whole = new("/games/pier", IsCurrent: true, HasMarker: true, new InstallEvidence(5, 5, 100, 100));
    private static readonly ServiceExpectation Tide = new("tide.service", "enabled", "active", []);
    private static readonly ServiceState Up = new("tide.service", "loaded", "enabled", "active") { Sub = "running" };
    private static readonly CacheFolder Pages = new("pages", "/cache/pages-1", NodeKind.Folder, new TreeSize(10, 1, 1, 0), null, null);
    private static readonly ShortcutExpectation Shortcuts =
        new(PathPattern.Parse("${data}/applications/pier.desktop", out _)!, "bin/pier", ["--mail"],
        new Dictionary<string, string> { ["TIDE"] = "low" }, null);
    private static readonly RuntimeNeeds Needs = new()
    {
        Kernel = new(5, 10),
        Libc = new(2, 31),
        Drivers = new Dictionary<string,
        Version>
        { ["gpu"] = new(550, 54) },
    };
    private static readonly LibraryFact Wind = new("libwind.so", "/games/pier/bin/pier", "/games/pier/lib/libwind.so");
    private static readonly AccessFacts Free = new(new Mount("/", "ext4", ["rw"]), [], null, null, 0);
    private static readonly MirrorSample Sample =
        new("https://mirror.example/pier", new Uri("https://mirror.example/pier/maps"), HoldsFile: true);
    private static readonly MirrorFacts Answering = new(Sample, [new StepTime(NetworkStep.Sample, TimeSpan.FromSeconds(0.1))])
    {
        Status = 206,
        SampleBytes = 1 << 20,
        ClockAhead = TimeSpan.Zero,
    };
    private static readonly NetworkSettings Plain = new([], null, HasDefaultRoute: true);
    private static readonly PendingOperation Pending = new(
        new OperationRecord("kept/x", OperationHeader.New("repair", "pier", null, TimeProvider.System), []), OperationState.Unfinished);
    private static readonly SystemFacts Sound = new()
    {
        Manager = new Dpkg("/"),
        MemoryFree = 4L << 30,
        MemoryTotal = 8L << 30,
        SwapFree = 1L << 30,
        OpenFiles = 1024,
        IsClockSynchronised = true,
    };
    private static readonly RunningProcess Game = new(9, "pier", 1000, default, 1, ["runs bin/pier"]);
    private static readonly OtherProgram Other = new(7, "gull", 0);
    private static readonly Uri Page = new("https://status.example/health");

    private static readonly Dictionary<FindingKind, (IEnumerable<CheckFinding> With, IEnumerable<CheckFinding> Without)> Cases = new()
    {
        [FindingKind.InstallNotFound] = (Installs([], null), Installs([Whole], Whole)),
        [FindingKind.InstallsSeveral] =
        (Installs([Whole, Whole with { Path = "/b" }], Whole), Installs([Whole, Whole with { Path = "/b", IsCurrent = false }], Whole)),
        [FindingKind.InstallStale] = (Installs([Whole, Whole with { IsCurrent = false }], Whole), Installs([Whole, Whole], Whole)),
        [FindingKind.FilesMissing] =
        (Installs([Whole], Whole with { Evidence = new InstallEvidence(5, 4, 80, 100) }), Installs([Whole], Whole)),
        [FindingKind.ManifestExpired] =
        (InstallFindings.Of(Pier, new InstallFacts([Whole], Whole, false, null) { Expired = DateTimeOffset.UnixEpoch }),
        Installs([Whole], Whole)),
        [FindingKind.ManifestOlder] =
        (InstallFindings.Of(Pier, new InstallFacts([Whole], Whole, false, null) { Newer = "pier 2" }), Installs([Whole], Whole)),
        [FindingKind.NeedUnknown] =
        (InstallFindings.Of(Pier, new InstallFacts([Whole], Whole, false, null) { NeedsWithoutProfile = ["gulls"] }),
        Installs([Whole], Whole)),
        [FindingKind.OperationPending] = (PendingFindings.Of([Pending]), PendingFindings.Of([])),
        [FindingKind.ManifestUnusable] =
        (InstallFindings.Of(Pier, new InstallFacts([Whole], Whole, false, "it is not there")), Installs([Whole], Whole)),
        [FindingKind.ProcessRunning] =
        (ProcessFindings.Of(new ProcessLook([new RunningProcess(9, "pier", 1000, default, 1, ["runs bin/pier"])], 0)),
        ProcessFindings.Of(new ProcessLook([], 3))),
        [FindingKind.ProcessesHidden] = (ProcessFindings.Of(new ProcessLook([], 3)), ProcessFindings.Of(new ProcessLook([], 0))),
        [FindingKind.ServiceAbsent] = (Services(Up with { Load = "not-found", Startup = "", Active = "inactive" }), Services(Up)),
        [FindingKind.ServiceMasked] =
        (Services(Up with { Load = "masked", Startup = "masked" }), Services(Up with { Startup = "disabled" })),
        [FindingKind.ServiceStartup] = (Services(Up with { Startup = "disabled" }), Services(Up with { Startup = "enabled-runtime" })),
        [FindingKind.ServiceFailed] =
        (Services(Up with { Active = "failed", Result = "exit-code", ExitStatus = 7 }), Services(Up with { Active = "inactive" })),
        [FindingKind.ServiceDown] = (Services(Up with { Active = "inactive" }), Services(Up with { Active = null })),
        [FindingKind.ServiceUnwanted] = (ServiceFindings.Of([Tide with { State = "inactive" }], [Up]), Services(Up)),
        [FindingKind.ServiceChanging] = (Services(Up with { Active = "activating" }), Services(Up with { Active = "reloading" })),
        [FindingKind.CacheWrongKind] =
        (CacheFindings.Of([Pages with { Kind = NodeKind.File }]), CacheFindings.Of([Pages with { Kind = NodeKind.Link }])),
        [FindingKind.CacheNotWritable] = (CacheFindings.Of([Pages with { IsWritable = false }]), CacheFindings.Of([Pages])),
        [FindingKind.CacheUnreadable] =
        (CacheFindings.Of([Pages with { Size = new TreeSize(1, 1, 1, Unreadable: 1) }]), CacheFindings.Of([Pages])),
        [FindingKind.PartialDownloads] =
        (CacheFindings.Of([Pages with { Name = CacheFolder.Temporary }]),
        CacheFindings.Of([Pages with { Name = CacheFolder.Temporary, Blocked = "is the user's" }])),
        [FindingKind.ShortcutAbsent] = (ShortcutFindings.Of([Entry(null)]), ShortcutsOf()),
        [FindingKind.ShortcutUnreadable] = (ShortcutFindings.Of([Entry(null) with { Fault = "is larger than 1 MiB" }]), ShortcutsOf()),
        [FindingKind.ShortcutProgram] = (ShortcutsOf("/old/pier --mail"), ShortcutsOf()),
        [FindingKind.ShortcutArguments] =
        (ShortcutsOf("env TIDE=low /games/pier/bin/pier --quick"), ShortcutsOf("env TIDE=low /games/pier/bin/pier --quick --mail")),
        [FindingKind.ShortcutEnvironment] =
        (ShortcutsOf("env TIDE=high /games/pier/bin/pier --mail"), ShortcutsOf("env A=b TIDE=low /games/pier/bin/pier --mail")),
        [FindingKind.ShortcutFolder] =
        (ShortcutFindings.Of([Entry("env TIDE=low /games/pier/bin/pier --mail") with { FolderIsThere = false }]), ShortcutsOf()),
        [FindingKind.ShortcutHidden] =
        (ShortcutsOf("env TIDE=low /games/pier/bin/pier --mail\nHidden=true"),
        ShortcutsOf("env TIDE=low /games/pier/bin/pier --mail\nHidden=false")),
        [FindingKind.ShortcutStale] = (ShortcutFindings.Of([Entry("/old/pier") with { Asked = null, ProgramIsThere = false }]), ShortcutsOf()),
        [FindingKind.ProgramUnreadable] = (Runtime(new ProgramFacts("bin/pier", "is damaged", null, null, [])), Runtime(Program())),
        [FindingKind.ProgramForeign] = (Runtime(Program() with { RunsHere = false }), Runtime(Program() with { RunsHere = null })),
        [FindingKind.LibraryMissing] = (Runtime(Program(Wind with { FoundAt = null })), Runtime(Program(Wind))),
        [FindingKind.LibraryForeign] =
        (Runtime(Program(Wind with { FoundAt = null, Foreign = "it is 32-bit x86" })),
        Runtime(Program(Wind with { Foreign = "another one is passed over" }))),
        [FindingKind.LibraryTooOld] = (Runtime(Program(Wind with { TooOld = ["TIDE_2"] })), Runtime(Program(Wind with { TooOld = [] }))),
        [FindingKind.KernelTooOld] = (Runtime(Program(), kernel: new(5, 4)), Runtime(Program(), kernel: new(5, 10))),
        [FindingKind.LibcTooOld] = (Runtime(Program(), libc: new(2, 28)), Runtime(Program(), libc: new(2, 31))),
        [FindingKind.DriverTooOld] = (Runtime(Program(), driver: new(470, 1)), Runtime(Program(), driver: new(550, 54))),
        [FindingKind.DriverAbsent] =
        (RuntimeFindings.Of(
        Needs, new RuntimeFacts([Program()], [], new(6, 1), new(2, 36), new Dictionary<string, Version?>()), []), Runtime(Program())),
        [FindingKind.RuntimeUnknown] =
        (RuntimeFindings.Of(Needs, new RuntimeFacts([], ["bin/pier"], null, null, new Dictionary<string, Version?>()), []), Runtime(Program())),
        [FindingKind.PackageAltered] =
        (SystemFindings.Of(Packages(new AlteredFile("libwind1", "/usr/lib/libwind.so", IsMissing: false))),
        SystemFindings.Of(Packages(new AlteredFile("libwind1", "/usr/share/doc/libwind1/copyright", IsMissing: true)))),
        [FindingKind.UpdatePending] =
        (SystemFindings.Of(Packages() with { Updates = [new PendingUpdate("libwind1", "1", "2")] }), SystemFindings.Of(Packages())),
        [FindingKind.PackageUnfinished] =
        (Health(Sound with { Unfinished = [new UnfinishedPackage("libwind1", "half-configured")] }), Health(Sound)),
        [FindingKind.RestartDue] = (Health(Sound with { RestartDue = "an update asks for it" }), Health(Sound)),
        [FindingKind.GraphicsUndriven] =
        (Health(Sound with { Graphics = [new GraphicsDevice("0000:01:00.0", null, null, [])] }),
        Health(Sound with { Graphics = [new GraphicsDevice("0000:01:00.0", "gpu", null, [])] })),
        [FindingKind.DriverMismatch] =
        (Health(Sound with { Graphics = [new GraphicsDevice("0000:01:00.0", "gpu", "550.1", ["560.1"])] }),
        Health(Sound with { Graphics = [new GraphicsDevice("0000:01:00.0", "gpu", "550.1", ["550.1", "560.1"])] })),
        [FindingKind.MemoryShort] = (Health(Sound with { MemoryFree = 1 << 20, SwapFree = 0 }), Health(Sound with { MemoryFree = 1 << 20 })),
        [FindingKind.OpenFilesLow] =
        (Health(Sound with { OpenFiles = 1023 }, new RuntimeNeeds { OpenFiles = 1024 }),
        Health(Sound with { OpenFiles = 1024 }, new RuntimeNeeds { OpenFiles = 1024 })),
        [FindingKind.ClockUnsynchronised] =
        (Health(Sound with { IsClockSynchronised = false }), Health(Sound with { IsClockSynchronised = null })),
        [FindingKind.SystemUnknown] = (Health(Sound with { Manager = null }), Health(Sound)),
        [FindingKind.LibraryPreloaded] =
        (Interference(new() { Preloads = [new Preload(PreloadWay.File, "/etc/ld.so.preload", null, "/lib/a.so")] }), Interference(new())),
        [FindingKind.ProcessTraced] = (Interference(new() { Traced = [new TracedProcess(Game, Other)] }), Interference(new())),
        [FindingKind.LibraryInjected] =
        (Interference(new() { Injected = [new InjectedLibrary(Game, "/tmp/a.so", 1000)] }), Interference(new())),
        [FindingKind.FileScanner] = (Interference(new() { Scanners = [new FileScanner(Other, MayRefuse: true)] }), Interference(new())),
        [FindingKind.GraphicsLayer] =
        (Interference(new() { Layers = [new GraphicsLayer("/etc/a.json", "a", "NO_A=1", null, null)] }), Interference(new())),
        [FindingKind.FileLocked] = (Interference(new() { Locks = [new LockedFile(Other, "maps/a.pak")] }), Interference(new())),
        [FindingKind.ConflictRunning] =
        (Interference(new() { Conflicts = [new RunningConflict(new Conflict("gull", ["gull"], [], "it draws"), [Game], [])] }),
        Interference(new())),
        [FindingKind.InterferenceUnknown] = (Interference(new() { Hidden = 3 }), Interference(new())),
        [FindingKind.SpaceShort] = (Space(new Room(99, 1000)), Space(new Room(100, 1000))),
        [FindingKind.InodesShort] = (Space(new Room(100, 9)), Space(new Room(100, null))),
        [FindingKind.SpaceUnknown] = (Space(null), Space(new Room(100, 10))),
        [FindingKind.MountReadOnly] = (Access(Free with { Mount = new Mount("/", "ext4", ["ro"]) }), Access(Free)),
        [FindingKind.MountNoExec] =
        (Access(Free with { Mount = new Mount("/", "ext4", ["noexec"]) }),
        AccessFindings.Of(Free with { Mount = new Mount("/", "ext4", ["noexec"]) }, "/games/pier", hasPrograms: false)),
        [FindingKind.FolderBlocked] =
        (Access(Free with { Blocked = [new BlockedFolder("/games", Right.Enter, 0, 0x1C0, "the install", true)] }), Access(Free)),
        [FindingKind.ForeignOwner] = (Access(Free with { Foreign = new SuchFiles("bin/pier", 2, 0) }), Access(Free)),
        [FindingKind.Immutable] = (Access(Free with { Locked = new SuchFiles("bin/pier", 1, 0) }), Access(Free)),
        [FindingKind.AccessUnknown] = (Access(Free with { Unseen = 1 }), Access(Free)),
        [FindingKind.MirrorUnreachable] =
        (Network(Answering with { FailedAt = NetworkStep.Tls, Reason = "no" }), Network(Answering with { Status = 302 })),
        [FindingKind.MirrorSlow] =
        (Network(Answering with { SampleBytes = 70_000, Steps = [new StepTime(NetworkStep.Sample, TimeSpan.FromSeconds(1))] }),
        Network(Answering with { SampleBytes = 100, Steps = [new StepTime(NetworkStep.Sample, TimeSpan.FromSeconds(1))] })),
        [FindingKind.CaptivePortal] =
        (Network(Answering with { IsPage = true }), Network(Answering with { IsPage = true, Sample = Sample with { HoldsFile = false } })),
        [FindingKind.ProxySet] =
        (NetworkFindings.Of([Answering], Plain with { Proxies = [new ProxySetting("the environment", "http_proxy", "http://p:1")] }),
        Network(Answering)),
        [FindingKind.TunnelRoute] = (NetworkFindings.Of([Answering], Plain with { Tunnel = "tun0" }), Network(Answering)),
        [FindingKind.ClockWrong] =
        (Network(Answering with { ClockAhead = TimeSpan.FromMinutes(-6) }),
        Network(Answering with { ClockAhead = TimeSpan.FromMinutes(4) })),
        [FindingKind.NetworkUnknown] = (NetworkFindings.Of([], Plain), Network(Answering)),
        [FindingKind.OutageWarned] = (Outage("warn"), Outage("pass")),
        [FindingKind.OutageReported] = (Outage("fail"), Outage("warn")),
        [FindingKind.OutageUnknown] = (OutageFindings.Of(Page, null, "it does not answer"), Outage("pass")),
    };

    /// <summary>
    /// Whether nothing could be learnt of the services at all, only a whole checkup knows: see <see cref="CheckupTests"/>.
    /// </summary>
    public static TheoryData<FindingKind> Kinds => [.. Enum.GetValues<FindingKind>().Where(k => k != FindingKind.ServicesUnknown)];

    [Theory]
    [MemberData(nameof(Kinds))]
    public void A_finding_is_made_by_its_facts_and_by_no_others(FindingKind kind)
    {
        var (with, without) = Cases[kind];
        var finding = with.First(f => f.Kind == kind);
        without.ShouldNotContain(f => f.Kind == kind);
        (finding.Verdict == Verdict.Ok).ShouldBe(kind is FindingKind.ProcessesHidden or FindingKind.ClockUnsynchronised, "only these are notes");
        finding.Seen.ShouldNotEndWith(".");
        (finding.Remedy != Remedy.None || finding.Advice is not null || finding.Verdict == Verdict.Unknown)
            .ShouldBeTrue("it says what to do");
        AreaResult.Of(Area.Install, with, "all well").Verdict.ShouldBe(with.Max(f => f.Verdict));
    }

    [Fact]
    public void What_could_not_be_looked_at_is_never_good() =>
        Enum.GetValues<FindingKind>().Where(k => k.ToString().EndsWith("Unknown", StringComparison.Ordinal) && Cases.ContainsKey(k))
            .SelectMany(k => Cases[k].With).Where(f => f.Kind.ToString().EndsWith("Unknown", StringComparison.Ordinal))
            .ShouldAllBe(f => f.Verdict == Verdict.Unknown);

    [Fact]
    public void Where_room_is_short_what_is_held_is_told() =>
        SpaceFindings.Of([new PlaceSpace(new SpaceNeed("the install", "/games/pier", 50, 100, 10), new Room(9, null))], held: 5 << 20)
        .ShouldHaveSingleItem().Advice!.ShouldContain("mukta operations purge --older-than 14d gives back up to 5.0 MiB");

    [Fact]
    public void Of_a_program_that_is_missing_nothing_is_said_to_be_well() =>
        RuntimeFindings.Of(
            new RuntimeNeeds(), new RuntimeFacts([Program()], ["bin/other"], null, null, new Dictionary<string, Version?>()), [])
            .ShouldHaveSingleItem().Verdict.ShouldBe(Verdict.Unknown);

    [Fact]
    public void A_library_comes_from_the_release_or_from_a_package_and_never_from_elsewhere()
    {
        var facts = new RuntimeFacts([Program(Wind with { FoundAt = null })], [], null, null, new Dictionary<string, Version?>());
        RuntimeFindings.Of(new RuntimeNeeds(), facts, ["lib/libwind.so"]).ShouldHaveSingleItem().Remedy.ShouldBe(Remedy.Repair);
        RuntimeFindings.Of(new RuntimeNeeds { Packages = new Dictionary<string, string> { ["libwind.so"] = "libwind1" } }, facts, [])
            .ShouldHaveSingleItem().Advice!.ShouldContain("the package libwind1");
        RuntimeFindings.Of(new RuntimeNeeds(), facts, []).ShouldHaveSingleItem()
            .Advice!.ShouldContain("never a single library from elsewhere");
    }

    private static IEnumerable<CheckFinding> Installs(IReadOnlyList<FoundInstall> found, FoundInstall? chosen) =>
        InstallFindings.Of(Pier, new InstallFacts(found, chosen, IsNamed: false, null));

    private static IEnumerable<CheckFinding> Services(ServiceState state) => ServiceFindings.Of([Tide], [state]);

    private static Shortcut Entry(string? exec) => new(
        "/data/applications/pier.desktop", Shortcuts, "/games/pier/bin/pier", null,
        exec is null ? null : DesktopEntry.Parse($"[Desktop Entry]\nType=Application\nName=Pier\nExec={exec}\n", out _), null);

    private static IEnumerable<CheckFinding> ShortcutsOf(string exec = "env TIDE=low /games/pier/bin/pier --mail") =>
        ShortcutFindings.Of([Entry(exec)]);

    private static ProgramFacts Program(params LibraryFact[] libraries) => new("bin/pier", null, "64-bit x86", true, libraries);

    private static IEnumerable<CheckFinding> Runtime(
        ProgramFacts program, Version? kernel = null, Version? libc = null, Version? driver = null) => RuntimeFindings.Of(
        Needs, new RuntimeFacts(
        [program], [], kernel ?? new(6, 1), libc ?? new(2, 36), new Dictionary<string, Version?> { ["gpu"] = driver ?? new(560, 1) }), []);

    private static IEnumerable<CheckFinding> Health(SystemFacts facts, RuntimeNeeds? needs = null) =>
        SystemFindings.Of(facts, needs ?? new RuntimeNeeds());

    private static PackageFacts Packages(params AlteredFile[] altered) =>
        new(new Dpkg("/"), altered, [], ["/lib/libwind.so"]);

    private static IEnumerable<CheckFinding> Interference(InterferenceFacts facts) => InterferenceFindings.Of(facts);

    private static IEnumerable<CheckFinding> Space(Room? room) =>
        SpaceFindings.Of([new PlaceSpace(new SpaceNeed("the install", "/games/pier", 50, 100, 10), room)], held: 0);

    private static IEnumerable<CheckFinding> Access(AccessFacts facts) => AccessFindings.Of(facts, "/games/pier", hasPrograms: true);

    private static IEnumerable<CheckFinding> Network(MirrorFacts facts) => NetworkFindings.Of([facts], Plain);

    private static IEnumerable<CheckFinding> Outage(string status) =>
        OutageFindings.Of(
        Page, OutagePage.Parse(System.Text.Encoding.UTF8.GetBytes(
        string.Create(
        CultureInfo.InvariantCulture, $"{{\"status\":\"{status}\",\"checks\":{{\"sign-in\":[{{\"status\":\"{status}\"}}]}}}}"))), null);
}
