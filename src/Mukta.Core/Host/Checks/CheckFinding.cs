namespace Mukta.Host.Checks;

/// <summary>The state of an area. Of several the last in this order counts.</summary>
public enum Verdict
{
    /// <summary>Not checked: nothing asked for it, or the user left it out. Never counts as ok.</summary>
    Skipped,

    /// <summary>As the profile asks.</summary>
    Ok,

    /// <summary>It could not be checked. Never counts as ok.</summary>
    Unknown,

    /// <summary>Something differs; the product may well run.</summary>
    Warning,

    /// <summary>The product cannot work like this.</summary>
    Bad,
}

/// <summary>What is checked, in the order in which a technician looks.</summary>
public enum Area
{
    /// <summary>The copy of the product on this machine.</summary>
    Install,

    /// <summary>What of it is running.</summary>
    Processes,

    /// <summary>Its services.</summary>
    Services,

    /// <summary>Its caches and partly downloaded files.</summary>
    Caches,

    /// <summary>Its shortcuts.</summary>
    Shortcuts,

    /// <summary>Libraries, kernel, drivers.</summary>
    Runtime,

    /// <summary>The packages that it needs, and the condition of the machine.</summary>
    System,

    /// <summary>Other programs that are in its way.</summary>
    Interference,

    /// <summary>Room on its disk.</summary>
    Space,

    /// <summary>Who may enter and write where.</summary>
    Access,

    /// <summary>The way to its mirrors.</summary>
    Network,

    /// <summary>What its vendor says of itself.</summary>
    Outages,
}

/// <summary>Every finding that a check can report.</summary>
#pragma warning disable CS1591 // The names say it; docs/check.md describes each.
public enum FindingKind
{
    InstallNotFound, InstallsSeveral, InstallStale, NeedUnknown, FilesMissing, ManifestUnusable, ManifestExpired, ManifestOlder,
    OperationPending,
    ProcessRunning, ProcessesHidden,
    ServiceAbsent, ServiceMasked, ServiceStartup, ServiceFailed, ServiceDown, ServiceUnwanted, ServiceChanging, ServicesUnknown,
    CacheWrongKind, CacheNotWritable, CacheUnreadable, PartialDownloads,
    ShortcutAbsent, ShortcutUnreadable, ShortcutProgram, ShortcutArguments, ShortcutEnvironment, ShortcutFolder, ShortcutHidden,
    ShortcutStale,
    ProgramUnreadable, ProgramForeign, LibraryMissing, LibraryForeign, LibraryTooOld, KernelTooOld, LibcTooOld, DriverTooOld, DriverAbsent,
    RuntimeUnknown,
    PackageAltered, PackageUnfinished, UpdatePending, RestartDue, GraphicsUndriven, DriverMismatch, MemoryShort, OpenFilesLow,
    ClockUnsynchronised, SystemUnknown,
    LibraryPreloaded, ProcessTraced, LibraryInjected, FileScanner, GraphicsLayer, FileLocked, ConflictRunning, InterferenceUnknown,
    SpaceShort, InodesShort, SpaceUnknown,
    MountReadOnly, MountNoExec, FolderBlocked, ForeignOwner, Immutable, AccessUnknown,
    MirrorUnreachable, MirrorSlow, CaptivePortal, ProxySet, TunnelRoute, ClockWrong, NetworkUnknown,
    OutageWarned, OutageReported, OutageUnknown,
}
#pragma warning restore CS1591

/// <summary>Says which area a finding belongs to.</summary>
public static class FindingAreas
{
    /// <summary>The first finding of each area: they are listed area by area.</summary>
    private static readonly (FindingKind First, Area Area)[] Starts =
    [
        (FindingKind.InstallNotFound, Area.Install), (FindingKind.ProcessRunning, Area.Processes),
        (FindingKind.ServiceAbsent, Area.Services), (FindingKind.CacheWrongKind, Area.Caches),
        (FindingKind.ShortcutAbsent, Area.Shortcuts), (FindingKind.ProgramUnreadable, Area.Runtime),
        (FindingKind.PackageAltered, Area.System), (FindingKind.LibraryPreloaded, Area.Interference),
        (FindingKind.SpaceShort, Area.Space), (FindingKind.MountReadOnly, Area.Access),
        (FindingKind.MirrorUnreachable, Area.Network), (FindingKind.OutageWarned, Area.Outages),
    ];

    /// <summary>The area of a finding.</summary>
    public static Area Of(FindingKind kind) => Starts.Last(s => s.First <= kind).Area;
}

/// <summary>What puts a finding right. The interface turns it into the command to type.</summary>
public enum Remedy
{
    /// <summary>Nothing that Mukta could do; the finding says what to do.</summary>
    None,

    /// <summary>Name the install.</summary>
    Locate,

    /// <summary>Set older releases aside.</summary>
    Sweep,

    /// <summary>Verify the files.</summary>
    Verify,

    /// <summary>Repair the files.</summary>
    Repair,

    /// <summary>End the processes.</summary>
    Stop,

    /// <summary>Look at the processes with more rights.</summary>
    LookAsRoot,

    /// <summary>Bring the services back.</summary>
    RestoreServices,

    /// <summary>Clear a cache; the finding's subject is its name.</summary>
    ClearCache,

    /// <summary>Clear what is temporary.</summary>
    ClearTemporary,

    /// <summary>Put the shortcuts right.</summary>
    RestoreShortcuts,

    /// <summary>Stop a program that the profile names as being in the way.</summary>
    StopConflicts,
}

/// <summary>One thing around the files that is not as it should be, with its evidence.</summary>
/// <param name="Kind">What it is.</param>
/// <param name="Verdict">How bad it is; never <see cref="Checks.Verdict.Ok"/>.</param>
/// <param name="Subject">The unit, file, library, folder or mirror that it is about.</param>
/// <param name="Seen">What was seen, as a sentence without its full stop.</param>
/// <param name="Remedy">What puts it right.</param>
/// <param name="Advice">What to do where no command of ours does it, as an order or a shell command.</param>
public sealed record CheckFinding(
    FindingKind Kind, Verdict Verdict, string Subject, string Seen, Remedy Remedy = Remedy.None, string? Advice = null);

/// <summary>The state of one area.</summary>
/// <param name="Area">The area.</param>
/// <param name="Findings">What is not as it should be, worst first.</param>
/// <param name="Summary">What was checked, in a few words.</param>
public sealed record AreaResult(Area Area, IReadOnlyList<CheckFinding> Findings, string Summary)
{
    /// <summary>True if nobody looked.</summary>
    public bool IsSkipped { get; init; }

    /// <summary>The worst of what was found.</summary>
    public Verdict Verdict => Findings.Select(f => f.Verdict).DefaultIfEmpty(IsSkipped ? Verdict.Skipped : Verdict.Ok).Max();

    /// <summary>An area at which nobody looked.</summary>
    /// <param name="area">The area.</param>
    /// <param name="why">Why not, in a few words.</param>
    public static AreaResult Skipped(Area area, string why) => new(area, [], why) { IsSkipped = true };

    /// <summary>An area with its findings in order.</summary>
    public static AreaResult Of(Area area, IEnumerable<CheckFinding> findings, string summary) =>
        new(area, [.. findings.OrderByDescending(f => f.Verdict)], summary);

    /// <summary>An area of which nothing could be found out.</summary>
    internal static AreaResult NotKnown(Area area, FindingKind kind, string why, string? advice = null) =>
        Of(area, [new CheckFinding(kind, Verdict.Unknown, area.ToString(), why, Advice: advice)], "");
}
