using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Repair.Local;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>The ordered steps that put findings right, with their cost, made before anything is touched.</summary>
public sealed record RepairPlan
{
    /// <summary>The steps, cheap and local ones first.</summary>
    public required IReadOnlyList<RepairStep> Steps { get; init; }

    /// <summary>What no step can repair.</summary>
    public required IReadOnlyList<Finding> LeftOpen { get; init; }

    /// <summary>True if there is nothing to do.</summary>
    public bool IsEmpty => Steps.Count == 0;

    /// <summary>Bytes to fetch from sources.</summary>
    public long BytesToFetch => Puts.Sum(p => p.BytesToFetch);

    /// <summary>Bytes that are taken from elsewhere on this machine.</summary>
    public long BytesElsewhere => Puts.Sum(p => p.BytesElsewhere);

    /// <summary>The release that was here before; null if it is the same, or not known.</summary>
    public Manifest? Older { get; init; }

    /// <summary>The plan with what was found elsewhere on this machine.</summary>
    public RepairPlan With(LocalPieces local) => local.IsEmpty ? this : this with
    {
        Steps = [.. Steps.Select(s => s is PutFile put ? put with { BytesElsewhere = local.BytesFor(put) } : s)],
    };

    /// <summary>The plan for a new tree beside an older copy, whose good pieces are taken. Pure.</summary>
    /// <param name="donor">The verification of the older copy.</param>
    /// <param name="disk">What the file system of both can do.</param>
    public RepairPlan BesideDonor(VerifyResult donor, FileSystemCapabilities disk)
    {
        var damaged = donor.Findings.OfType<Damaged>().ToDictionary(d => d.Path, StringComparer.Ordinal);
        var good = donor.Findings.OfType<WrongMode>().Select(w => w.Path).Concat(donor.Proven.Keys).ToHashSet(StringComparer.Ordinal);
        var way = disk.SharesBytes ? PutWay.Share : PutWay.Rebuild;
        return this with
        {
            Steps = [.. Steps.Select(s => s is not PutFile { Replaces: null, IsFresh: false } put ? s
            : damaged.GetValueOrDefault(put.Path) is { } d ? put with { Fetch = d.Bad, Way = way }
            : good.Contains(put.Path) ? put with { Fetch = [], Way = way } : put)]
        };
    }

    /// <summary>Bytes of rebuilt files that are taken from what is here.</summary>
    public long BytesReused => Puts.Sum(p => p.BytesReused);

    /// <summary>Extra bytes on the install's disk at most.</summary>
    public long ExtraSpace => Puts.Sum(p => p.ExtraSpace);

    /// <summary>Files and folders that are made on the way: new files, and their folders among the kept files.</summary>
    public long NamesMade => (Steps.Count * 3L) + 8;

    /// <summary>Bytes that end in the kept files.</summary>
    public long BytesKept => Puts.Sum(p => p.BytesKept) + Steps.OfType<HoldAway>().Sum(h => h.Bytes);

    /// <summary>The steps that make files.</summary>
    public IEnumerable<PutFile> Puts => Steps.OfType<PutFile>();

    /// <summary>Makes the plan for what a verification has found. Pure.</summary>
    /// <param name="found">The verification.</param>
    /// <param name="wish">What is wanted.</param>
    public static RepairPlan For(VerifyResult found, RepairWish wish)
    {
        var steps = new List<RepairStep>();
        var open = new List<Finding>();
        var leftovers = wish.Older?.Files.Select(f => f.Path).Concat(wish.Older.Links.Select(l => l.Path))
            .ToHashSet(StringComparer.Ordinal) ?? [];
        foreach (var finding in found.Findings)
        {
            if (finding is Unreadable)
                open.Add(finding);
            else if (finding is not Stray || wish.HoldStrays || leftovers.Contains(finding.Path))
                steps.AddRange(StepsFor(finding, found.ModesCompared, wish));
        }

        if (wish.Renew is { } renew)
            Renew(steps, found, renew);

        return new RepairPlan { Steps = [.. steps.OrderBy(Order)], LeftOpen = open, Older = wish.Older };
    }

    /// <summary>Files that are there are kept and downloaded whole; what was to be done about them otherwise is not.</summary>
    private static void Renew(List<RepairStep> steps, VerifyResult found, Func<ManifestFile, bool> renew)
    {
        foreach (var file in found.Manifest.Files.Where(renew))
        {
            var old = steps.OfType<PutFile>().FirstOrDefault(p => p.Path == file.Path)?.Replaces
                ?? (found.Proven.TryGetValue(file.Path, out var proven) ? proven : (Node?)null);
            if (steps.OfType<FixCase>().Any(f => f.Path == file.Path))
                continue; // Its bytes were just proven under another name; the next run can fetch it.
            steps.RemoveAll(s => s is PutFile or FixMode && s.Path == file.Path);
            steps.Add(new PutFile(file, MetadataComparison.Whole(file), old, PutWay.Rebuild, IsFresh: true));
        }
    }

    private static int Order(RepairStep step) => step switch { FixMode => 0, FixCase => 1, HoldAway => 2, PutLink => 3, _ => 4 };

    private static IEnumerable<RepairStep> StepsFor(Finding finding, bool modesCompared, RepairWish wish) => finding switch
    {
        Missing { Entry: var entry } => [Put(entry)],
        Damaged damaged => [new PutFile(damaged.File, damaged.Bad, damaged.Found, WayOf(damaged, wish))],
        DamagedLink damaged => [new PutLink(damaged.Link, Holds: true)],
        Miscased { Found.Links: > 1 } m => [new HoldAway(m.FoundAt, NodeKind.File, 1, m.Found.Size, IsStray: false), Put(m.File)],
        Miscased m =>
        [new FixCase(
        m.Path, m.FoundAt, modesCompared && m.File.Mode is { } mode && !ResultBuilder.ModeFits(m.Found.Mode, mode)
        ? NewMode(m.Found.Mode, mode) : null)],
        // One with another name may be a file outside of the install: it gets bytes of its own, with the right mode.
        WrongMode { Found.Links: > 1 } w => [new PutFile(w.File, [], w.Found, wish.Disk.SharesBytes ? PutWay.Share : PutWay.Rebuild)],
        WrongMode w => [new FixMode(w.Path, w.Found.Mode, NewMode(w.Found.Mode, w.File.Mode ?? w.Found.Mode))],
        WrongKind { Entry: null } w => [Away(w)],
        WrongKind { Entry: { } entry } w => [Away(w), Put(entry)],
        Stray s => [new HoldAway(s.Path, s.Found.Kind, 1, s.Found.Kind == NodeKind.File ? s.Found.Size : 0, IsStray: true)],
        _ => [],
    };

    private static PutWay WayOf(Damaged damaged, RepairWish wish)
    {
        if (wish.Disk.SharesBytes)
            return PutWay.Share;
        var (file, found) = (damaged.File, damaged.Found);
        return wish.Disk.LeavesHoles && found.Size == file.Size && found.Links == 1 && file.Size >= wish.LeastToPatch
            && damaged.BytesToFetch <= file.Size / 4 && file.AlsoProve is null ? PutWay.Patch : PutWay.Rebuild;
    }

    private static HoldAway Away(WrongKind w) =>
        new(w.Path, w.Found, w.Found == NodeKind.Folder ? w.FilesInside : 1, w.BytesInside, IsStray: false);

    private static RepairStep Put(ManifestEntry entry) => entry switch
    {
        ManifestFile file => new PutFile(file, MetadataComparison.Whole(file), null),
        _ => new PutLink((ManifestLink)entry, Holds: false),
    };

    /// <summary>The published bits, with the group's right to write as the machine has chosen it.</summary>
    internal static int NewMode(int found, int published) => (published & ~ManifestFile.OwnChoice) | (found & ManifestFile.OwnChoice);
}
