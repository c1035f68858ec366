using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>One thing that a repair will do.</summary>
/// <param name="Path">Relative to the install.</param>
public abstract record RepairStep(string Path);

/// <summary>Renames a file to the letter case it is published under.</summary>
/// <param name="Path">The published name.</param>
/// <param name="From">The name it has.</param>
/// <param name="Mode">The permission bits to set with it; null where they are right.</param>
public sealed record FixCase(string Path, string From, int? Mode) : RepairStep(Path);

/// <summary>Sets permission bits.</summary>
/// <param name="Path">The file.</param>
/// <param name="From">The bits it has.</param>
/// <param name="To">The bits it gets.</param>
public sealed record FixMode(string Path, int From, int To) : RepairStep(Path);

/// <summary>Makes a symbolic link, in the place of what stands there.</summary>
/// <param name="Link">The link.</param>
/// <param name="Holds">True where another link stands there and is held.</param>
public sealed record PutLink(ManifestLink Link, bool Holds) : RepairStep(Link.Path);

/// <summary>How a file is brought back.</summary>
public enum PutWay
{
    /// <summary>Built whole in staging, then put in its place; the old one is held.</summary>
    Rebuild,

    /// <summary>The same, but its good pieces share their bytes with the old one, so that only the new ones take room.</summary>
    Share,

    /// <summary>
    /// The bad pieces are overwritten in place after their old bytes are held: a large file with a little damage need not be
    /// written anew, and needs no room for a second one.
    /// </summary>
    Patch,
}

/// <summary>Brings a file back from pieces that are here and pieces that are fetched.</summary>
/// <param name="File">The file.</param>
/// <param name="Fetch">The pieces to fetch.</param>
/// <param name="Replaces">The damaged file whose good pieces are used; null where there is none.</param>
/// <param name="Way">How.</param>
/// <param name="IsFresh">True for a file that is fetched whole whatever its state, because it was asked for: nothing that is here is used.</param>
public sealed record PutFile(ManifestFile File, IReadOnlyList<BadRange> Fetch, Node? Replaces, PutWay Way = PutWay.Rebuild, bool IsFresh = false) : RepairStep(File.Path)
{
    /// <summary>Extra bytes on the install's disk at the most.</summary>
    public long ExtraSpace => Way switch { PutWay.Patch => 2 * BytesNeeded, PutWay.Share => BytesNeeded, _ => File.Size };

    /// <summary>Bytes that end in the held area.</summary>
    public long BytesHeld => Replaces is not { } old ? 0 : Way == PutWay.Patch ? BytesNeeded : old.Size;

    /// <summary>Bytes of the needed pieces that were found elsewhere on this machine.</summary>
    public long BytesElsewhere { get; init; }

    /// <summary>Bytes of the needed pieces.</summary>
    public long BytesNeeded => Fetch.Sum(f => f.Length);

    /// <summary>Bytes to fetch.</summary>
    public long BytesToFetch => BytesNeeded - BytesElsewhere;

    /// <summary>Bytes of the file that are here and good.</summary>
    public long BytesKept => File.Size - BytesNeeded;
}

/// <summary>Moves something into the held area.</summary>
/// <param name="Path">What is moved.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Files">How many files that are.</param>
/// <param name="Bytes">How many bytes.</param>
/// <param name="IsStray">True for a stray; false for what stands in the way of a published name.</param>
public sealed record HoldAway(string Path, NodeKind Kind, int Files, long Bytes, bool IsStray) : RepairStep(Path);

/// <summary>What a file system can do.</summary>
/// <param name="SharesBytes">Two files can share their bytes.</param>
/// <param name="LeavesHoles">A file takes only as much room as was written to it.</param>
/// <param name="LeastToPatch">A smaller file is always rebuilt, in bytes.</param>
public readonly record struct DiskAbilities(bool SharesBytes, bool LeavesHoles, long LeastToPatch = 8 << 20)
{
    /// <summary>Those of the file system under a path.</summary>
    public static DiskAbilities Of(string path) => new(FileSystemFacts.SharesBytes(path), FileSystemFacts.KeepsModes(path));
}

/// <summary>What is wanted of a repair beside bringing back what is wrong.</summary>
public sealed record RepairWish
{
    /// <summary>Move the files that no manifest lists into the held area.</summary>
    public bool HoldStrays { get; init; }

    /// <summary>Files to hold whatever their state, and to bring back fresh; none where this is null.</summary>
    public Func<ManifestFile, bool>? Refetch { get; init; }

    /// <summary>The release that was here before: what only it lists is no stray but a leftover, and is held. Null where it is the same, or not known.</summary>
    public Manifest? Older { get; init; }

    /// <summary>What the install's file system can do.</summary>
    public DiskAbilities Disk { get; init; }
}

/// <summary>The ordered steps that put findings right, with their cost, made before anything is touched.</summary>
public sealed record RepairPlan
{
    /// <summary>The steps, cheap and local ones first.</summary>
    public required IReadOnlyList<RepairStep> Steps { get; init; }

    /// <summary>What no step can put right.</summary>
    public required IReadOnlyList<Finding> LeftOpen { get; init; }

    /// <summary>True where there is nothing to do.</summary>
    public bool IsEmpty => Steps.Count == 0;

    /// <summary>Bytes to fetch from sources.</summary>
    public long BytesToFetch => Puts.Sum(p => p.BytesToFetch);

    /// <summary>Bytes that are taken from elsewhere on this machine.</summary>
    public long BytesElsewhere => Puts.Sum(p => p.BytesElsewhere);

    /// <summary>The release that was here before; null where it is the same, or not known.</summary>
    public Manifest? Older { get; init; }

    /// <summary>The plan with what was found elsewhere on this machine.</summary>
    public RepairPlan With(Fetching.LocalPieces local) => this with { Steps = [.. Steps.Select(s => s is PutFile put ? put with { BytesElsewhere = local.BytesFor(put) } : s)] };

    /// <summary>The plan for a new tree beside an older copy, whose good pieces are taken. Pure.</summary>
    /// <param name="twin">The verification of the older copy.</param>
    /// <param name="disk">What the file system of both can do.</param>
    public RepairPlan BesideTwin(VerifyResult twin, DiskAbilities disk)
    {
        var damaged = twin.Findings.OfType<Damaged>().ToDictionary(d => d.Path, StringComparer.Ordinal);
        var good = twin.Findings.OfType<WrongMode>().Select(w => w.Path).Concat(twin.Proven.Keys).ToHashSet(StringComparer.Ordinal);
        var way = disk.SharesBytes ? PutWay.Share : PutWay.Rebuild;
        return this with
        {
            Steps = [.. Steps.Select(s => s is not PutFile { Replaces: null, IsFresh: false } put ? s
            : damaged.GetValueOrDefault(put.Path) is { } d ? put with { Fetch = d.Bad, Way = way }
            : good.Contains(put.Path) ? put with { Fetch = [], Way = way } : put)]
        };
    }

    /// <summary>Bytes of rebuilt files that are taken from what is here.</summary>
    public long BytesKept => Puts.Sum(p => p.BytesKept);

    /// <summary>Extra bytes on the install's disk at the most.</summary>
    public long ExtraSpace => Puts.Sum(p => p.ExtraSpace);

    /// <summary>Files and folders that are made on the way: new files, and their folders in the held area.</summary>
    public long NamesMade => (Steps.Count * 3L) + 8;

    /// <summary>Bytes that end in the held area.</summary>
    public long BytesHeld => Puts.Sum(p => p.BytesHeld) + Steps.OfType<HoldAway>().Sum(h => h.Bytes);

    /// <summary>The steps that make files.</summary>
    public IEnumerable<PutFile> Puts => Steps.OfType<PutFile>();

    /// <summary>Makes the plan for what a verification has found. Pure.</summary>
    /// <param name="found">The verification.</param>
    /// <param name="wish">What is wanted.</param>
    public static RepairPlan For(VerifyResult found, RepairWish wish)
    {
        var steps = new List<RepairStep>();
        var open = new List<Finding>();
        var leftovers = wish.Older?.Files.Select(f => f.Path).Concat(wish.Older.Links.Select(l => l.Path)).ToHashSet(StringComparer.Ordinal) ?? [];
        foreach (var finding in found.Findings)
        {
            if (finding is Unreadable)
                open.Add(finding);
            else if (finding is not Stray || wish.HoldStrays || leftovers.Contains(finding.Path))
                steps.AddRange(StepsFor(finding, found.ModesCompared, wish.Disk));
        }

        if (wish.Refetch is { } refetch)
            Refetch(steps, found, refetch);

        return new RepairPlan { Steps = [.. steps.OrderBy(Order)], LeftOpen = open, Older = wish.Older };
    }

    /// <summary>Files that are there are held and fetched whole; what was to be done about them otherwise is not.</summary>
    private static void Refetch(List<RepairStep> steps, VerifyResult found, Func<ManifestFile, bool> refetch)
    {
        foreach (var file in found.Manifest.Files.Where(refetch))
        {
            var old = steps.OfType<PutFile>().FirstOrDefault(p => p.Path == file.Path)?.Replaces ?? (found.Proven.TryGetValue(file.Path, out var proven) ? proven : (Node?)null);
            if (steps.OfType<FixCase>().Any(f => f.Path == file.Path))
                continue; // Its bytes were just proven under another name; the next run can fetch it.
            steps.RemoveAll(s => s is PutFile or FixMode && s.Path == file.Path);
            steps.Add(new PutFile(file, Survey.Whole(file), old, PutWay.Rebuild, IsFresh: true));
        }
    }

    private static int Order(RepairStep step) => step switch { FixMode => 0, FixCase => 1, HoldAway => 2, PutLink => 3, _ => 4 };

    private static IEnumerable<RepairStep> StepsFor(Finding finding, bool modesCompared, DiskAbilities disk) => finding switch
    {
        Missing { Entry: var entry } => [Put(entry)],
        Damaged damaged => [new PutFile(damaged.File, damaged.Bad, damaged.Found, WayOf(damaged, disk))],
        DamagedLink damaged => [new PutLink(damaged.Link, Holds: true)],
        Miscased m => [new FixCase(m.Path, m.FoundAt, modesCompared && m.File.Mode is { } mode && !Conclusion.ModeFits(m.Found.Mode, mode) ? NewMode(m.Found.Mode, mode) : null)],
        WrongMode w => [new FixMode(w.Path, w.Found, NewMode(w.Found, w.File.Mode ?? w.Found))],
        WrongKind { Entry: null } w => [Away(w)],
        WrongKind { Entry: { } entry } w => [Away(w), Put(entry)],
        Stray s => [new HoldAway(s.Path, s.Found.Kind, 1, s.Found.Kind == NodeKind.File ? s.Found.Size : 0, IsStray: true)],
        _ => [],
    };

    private static PutWay WayOf(Damaged damaged, DiskAbilities disk)
    {
        if (disk.SharesBytes)
            return PutWay.Share;
        var (file, found) = (damaged.File, damaged.Found);
        return disk.LeavesHoles && found.Size == file.Size && found.Links == 1 && file.Size >= disk.LeastToPatch && damaged.BytesToFetch <= file.Size / 4 && file.AlsoProve is null ? PutWay.Patch : PutWay.Rebuild;
    }

    private static HoldAway Away(WrongKind w) => new(w.Path, w.Found, w.Found == NodeKind.Folder ? w.FilesInside : 1, w.BytesInside, IsStray: false);

    private static RepairStep Put(ManifestEntry entry) => entry switch
    {
        ManifestFile file => new PutFile(file, Survey.Whole(file), null),
        _ => new PutLink((ManifestLink)entry, Holds: false),
    };

    /// <summary>The published bits, with the group's right to write as the machine has chosen it.</summary>
    internal static int NewMode(int found, int published) => (published & ~ManifestFile.OwnChoice) | (found & ManifestFile.OwnChoice);
}
