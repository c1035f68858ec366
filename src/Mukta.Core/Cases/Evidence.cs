using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Cases;

/// <summary>Whether the files of an install are as published.</summary>
public enum FilesState
{
    /// <summary>Nobody looked.</summary>
    Unknown,

    /// <summary>They are.</summary>
    Intact,

    /// <summary>Some are not.</summary>
    Damaged,
}

/// <summary>What was seen of a product before anything was tried.</summary>
/// <param name="Check">All areas of it; null if it was not checked.</param>
/// <param name="Files">Its files.</param>
public sealed record SeenState(ProductCheck? Check, FilesState Files)
{
    /// <summary>Nothing was seen.</summary>
    public static SeenState Nothing { get; } = new(null, FilesState.Unknown);
}

/// <summary>How much what was seen speaks for a rung.</summary>
/// <param name="Factor">By this the odds of the rung are multiplied; 1 says nothing.</param>
/// <param name="Because">Why, in words; null for nothing.</param>
public sealed record EvidenceWeight(double Factor, string? Because)
{
    /// <summary>It says nothing.</summary>
    public static EvidenceWeight None { get; } = new(1, null);

    /// <summary>A chance with what was seen: odds times the factor.</summary>
    public double On(double chance) => chance * Factor / (1 - chance + (chance * Factor));
}

/// <summary>
/// Says how much what was seen speaks for or against a rung. The factors are likelihood ratios, how much more often a finding is seen where
/// the rung helps than where it does not. They are estimates, and stand in one table here and in docs/ladder.md. Pure.
/// </summary>
public static class Evidence
{
    /// <summary>What a rung is for: the area that shows it, the findings, and the factors with and without them.</summary>
    /// <param name="Act">What the rung does.</param>
    /// <param name="Area">The area that has to have been checked.</param>
    /// <param name="Findings">Findings that speak for it.</param>
    /// <param name="With">The factor if one of them was found.</param>
    /// <param name="Without">The factor if the area was checked and has none of them.</param>
    public sealed record Row(RungAct Act, Area Area, IReadOnlyList<FindingKind> Findings, double With, double Without);

    /// <summary>The table.</summary>
    public static IReadOnlyList<Row> Table { get; } =
    [
        new(RungAct.Stop, Area.Processes, [FindingKind.ProcessRunning], 3, 0.1),
        new(RungAct.StopConflicts, Area.Interference, [FindingKind.ConflictRunning], 8, 0.05),
        new(
            RungAct.ClearCaches, Area.Caches,
            [FindingKind.CacheWrongKind, FindingKind.CacheNotWritable, FindingKind.CacheUnreadable], 8, 0.8),
        new(RungAct.SweepDownloads, Area.Caches, [FindingKind.PartialDownloads], 8, 0.1),
        new(
            RungAct.RestoreServices, Area.Services,
            [
                FindingKind.ServiceMasked, FindingKind.ServiceStartup, FindingKind.ServiceFailed, FindingKind.ServiceDown,
                FindingKind.ServiceUnwanted,
            ],
            10, 0.1),
        new(RungAct.RestartServices, Area.Services, [FindingKind.ServiceFailed, FindingKind.ServiceChanging], 5, 0.6),
        new(
            RungAct.RestoreShortcuts, Area.Shortcuts,
            [
                FindingKind.ShortcutAbsent, FindingKind.ShortcutUnreadable, FindingKind.ShortcutProgram, FindingKind.ShortcutArguments,
                FindingKind.ShortcutEnvironment, FindingKind.ShortcutFolder, FindingKind.ShortcutHidden, FindingKind.ShortcutStale,
            ],
            8, 0.1),
        new(RungAct.SweepReleases, Area.Install, [FindingKind.InstallStale, FindingKind.InstallsSeveral], 8, 0.05),
        new(RungAct.Setup, Area.Services, [FindingKind.ServiceAbsent, FindingKind.ServiceFailed, FindingKind.ServiceMasked], 8, 0.5),
        new(RungAct.Move, Area.Space, [FindingKind.SpaceShort, FindingKind.InodesShort], 10, 0.05),
        new(
            RungAct.SystemPackage, Area.System,
            [FindingKind.PackageAltered, FindingKind.PackageUnfinished, FindingKind.UpdatePending], 8, 0.2),
    ];

    /// <summary>What damaged and intact files say of the rungs that replace files.</summary>
    public static IReadOnlyDictionary<RungAct, (double Damaged, double Intact)> OfFiles { get; } = new Dictionary<RungAct, (double, double)>
    {
        [RungAct.Repair] = (12, 0.05),
        [RungAct.Reinstall] = (2, 0.4),
        [RungAct.RemoveAndInstall] = (2, 0.5),
    };

    /// <summary>The factor for what only a person can do, with and without the findings that the rung waits for.</summary>
    public static (double With, double Without) OfOperator { get; } = (10, 0.1);

    /// <summary>How much what was seen speaks for a rung.</summary>
    /// <param name="rung">The rung.</param>
    /// <param name="seen">What was seen of the product that it is about.</param>
    public static EvidenceWeight For(Rung rung, SeenState seen)
    {
        if (OfFiles.TryGetValue(rung.Act, out var files))
        {
            return seen.Files switch
            {
                FilesState.Damaged => new EvidenceWeight(files.Damaged, "files are damaged"),
                FilesState.Intact => new EvidenceWeight(files.Intact, "the files are intact"),
                _ => EvidenceWeight.None,
            };
        }

        if (seen.Check is not { } check || FindingsOf(rung) is not { Count: > 0 } findings)
            return EvidenceWeight.None;
        var (with, without) = Table.FirstOrDefault(r => r.Act == rung.Act) is { } row ? (row.With, row.Without) : OfOperator;
        return OfFindings(check, [.. findings.Select(FindingAreas.Of).Distinct()], findings, with, without);
    }

    /// <summary>The findings that a rung is to make go away; none where no finding says whether it is done.</summary>
    public static IReadOnlyList<FindingKind> FindingsOf(Rung rung) =>
        rung.Act == RungAct.Operator ? Named(rung.Gone) : Table.FirstOrDefault(r => r.Act == rung.Act)?.Findings ?? [];

    private static EvidenceWeight OfFindings(
        ProductCheck check, IReadOnlyList<Area> areas, IReadOnlyList<FindingKind> kinds, double with, double without)
    {
        var looked = check.Areas.Where(a => areas.Contains(a.Area)).ToList();
        if (looked.SelectMany(a => a.Findings).FirstOrDefault(f => kinds.Contains(f.Kind)) is { } found)
            return new EvidenceWeight(with, found.Seen);
        var isKnown = looked.Count == areas.Count && looked.TrueForAll(a => a.Verdict is not (Verdict.Unknown or Verdict.Skipped));
        return isKnown ? new EvidenceWeight(without, $"check found nothing of the kind ({string.Join(", ", areas).ToLowerInvariant()})")
            : EvidenceWeight.None;
    }

    private static List<FindingKind> Named(IEnumerable<string> names) =>
    [
        .. names.Select(n => (IsKnown: Enum.TryParse<FindingKind>(
            n.Replace("-", "", StringComparison.Ordinal), ignoreCase: true, out var kind), Kind: kind))
        .Where(n => n.IsKnown).Select(n => n.Kind),
    ];
}
