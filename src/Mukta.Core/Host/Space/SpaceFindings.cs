using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Space;

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
            var advice =
                $"make room on that disk; the largest folders: sudo du -xh {PathBytes.Shown(need.Path)} | sort -h | "
                + $"tail{(held > 0 ? $"; mukta operations purge --older-than 14d gives back up to {Units.Bytes(held)}" : "")}";
            if (room is not { } there)
            {
                yield return new CheckFinding(FindingKind.SpaceUnknown, Verdict.Unknown, need.Path, $"the room {where} cannot be told");
                continue;
            }

            if (there.FreeBytes < need.Wanted)
            {
                yield return new CheckFinding(
                    FindingKind.SpaceShort, there.FreeBytes < need.Least ? Verdict.Bad : Verdict.Warning, need.Path,
                    $"{Units.Bytes(there.FreeBytes)} are free {where}, {Units.Bytes(need.Wanted)} may be needed", Advice: advice);
            }

            if (there.FreeInodes < need.Names)
            {
                yield return new CheckFinding(
                    FindingKind.InodesShort, Verdict.Bad, need.Path,
                    $"only {Units.Count(there.FreeInodes.Value, "more file")} can be made {where}, {Units.Number(need.Names)} may be "
                    + $"needed", Advice: "remove folders with very many small files on that disk");
            }
        }
    }
}
