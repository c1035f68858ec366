using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Host.Space;

/// <summary>What is needed on one disk.</summary>
/// <param name="What">What lies there, in words.</param>
/// <param name="Path">A path on it.</param>
/// <param name="Least">Bytes without which the product or its repair cannot work.</param>
/// <param name="Wanted">Bytes with which there is some to spare.</param>
/// <param name="Names">Files and folders that may have to be made.</param>
public sealed record SpaceNeed(string What, string Path, long Least, long Wanted, long Names);

/// <summary>A need beside what is there.</summary>
/// <param name="Need">What is needed.</param>
/// <param name="Room">What is there; null where that cannot be told.</param>
public sealed record PlaceSpace(SpaceNeed Need, Room? Room);

/// <summary>Looks at the room on the disks that a product uses.</summary>
/// <param name="machine">The machine.</param>
public sealed class SpaceLook(Machine machine)
{
    private const long Some = 64L << 20, Hardly = 4L << 20, SomeNames = 100;

    /// <summary>One place for each disk: the install's, the home's, and the one for temporary files.</summary>
    /// <param name="install">The install; null where there is none.</param>
    /// <param name="evidence">How much of it is there; null where that is not known.</param>
    /// <param name="largestFile">Bytes of the largest file, which a repair may have to build beside the old one.</param>
    public IReadOnlyList<PlaceSpace> At(string? install, InstallEvidence? evidence, long largestFile)
    {
        var missing = evidence is null ? 0 : evidence.BytesListed - evidence.Bytes;
        var needs = new List<SpaceNeed>();
        if (install is not null)
            needs.Add(new SpaceNeed("the install", install, missing + Hardly, missing + largestFile + Some, evidence is null ? SomeNames : evidence.Listed - evidence.Present + SomeNames));
        needs.Add(new SpaceNeed("the player's own files", machine.Folders.Home, Hardly, Some, SomeNames));
        if (machine.IsLive)
            needs.Add(new SpaceNeed("temporary files", Path.GetTempPath(), Hardly, Some, SomeNames));
        return [.. needs.GroupBy(n => DeviceOf(n.Path) ?? (object)n.Path).Select(Together)];
    }

    private static PlaceSpace Together(IEnumerable<SpaceNeed> onOneDisk)
    {
        var needs = onOneDisk.ToList();
        var all = needs[0] with { What = string.Join(" and ", needs.Select(n => n.What)), Least = needs.Sum(n => n.Least), Wanted = needs.Sum(n => n.Wanted), Names = needs.Sum(n => n.Names) };
        try
        {
            return new PlaceSpace(all, FileSystemFacts.RoomAt(all.Path));
        }
        catch (DiskException)
        {
            return new PlaceSpace(all, null);
        }
    }

    private static ulong? DeviceOf(string path)
    {
        try
        {
            return Node.At(path)?.Device;
        }
        catch (DiskException)
        {
            return null;
        }
    }
}

/// <summary>Whether there is room enough. Pure.</summary>
public static class SpaceFindings
{
    /// <summary>Compares needs with what is there.</summary>
    /// <param name="places">Needs and what is there.</param>
    /// <param name="held">Bytes that operations hold, and that a purge would give back.</param>
    public static IEnumerable<CheckFinding> Of(IEnumerable<PlaceSpace> places, long held)
    {
        foreach (var (need, room) in places)
        {
            var where = $"on the disk of {need.What} ({PathBytes.Shown(need.Path)})";
            var advice = $"make room on that disk; the largest folders: sudo du -xh {PathBytes.Shown(need.Path)} | sort -h | tail{(held > 0 ? $"; mukta held purge --older-than 14d gives back up to {Units.Bytes(held)}" : "")}";
            if (room is not { } there)
            {
                yield return new CheckFinding(FindingKind.SpaceUnknown, Verdict.NotKnown, need.Path, $"the room {where} cannot be told");
                continue;
            }

            if (there.FreeBytes < need.Wanted)
            {
                yield return new CheckFinding(
                    FindingKind.SpaceShort, there.FreeBytes < need.Least ? Verdict.Bad : Verdict.Attention, need.Path,
                    $"{Units.Bytes(there.FreeBytes)} are free {where}, {Units.Bytes(need.Wanted)} may be needed", Advice: advice);
            }

            if (there.FreeInodes < need.Names)
                yield return new CheckFinding(FindingKind.InodesShort, Verdict.Bad, need.Path, $"only {Units.Count(there.FreeInodes.Value, "more file")} can be made {where}, {Units.Number(need.Names)} may be needed", Advice: "remove folders with very many small files on that disk");
        }
    }
}
