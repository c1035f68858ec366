using Mukta.Disk;
using Mukta.Products;

namespace Mukta.Host.Space;

/// <summary>Looks at the room on the disks that a product uses.</summary>
/// <param name="machine">The machine.</param>
public sealed class SpaceLook(Machine machine)
{
    private const long Some = 64L << 20, Hardly = 4L << 20, SomeNames = 100;

    /// <summary>One place for each disk: the install's, the home's, and the one for temporary files.</summary>
    /// <param name="install">The install; null if there is none.</param>
    /// <param name="evidence">How much of it is there; null if that is not known.</param>
    /// <param name="largestFile">Bytes of the largest file, which a repair may have to build beside the old one.</param>
    public IReadOnlyList<PlaceSpace> At(string? install, InstallEvidence? evidence, long largestFile)
    {
        var missing = evidence is null ? 0 : evidence.BytesListed - evidence.Bytes;
        var needs = new List<SpaceNeed>();
        if (install is not null)
        {
            needs.Add(new SpaceNeed(
                "the install", install, missing + Hardly, missing + largestFile + Some,
                evidence is null ? SomeNames : evidence.Listed - evidence.Present + SomeNames));
        }

        needs.Add(new SpaceNeed("the player's own files", machine.Folders.Home, Hardly, Some, SomeNames));
        if (machine.IsLive)
            needs.Add(new SpaceNeed("temporary files", Path.GetTempPath(), Hardly, Some, SomeNames));
        return [.. needs.GroupBy(n => DeviceOf(n.Path) ?? (object)n.Path).Select(Together)];
    }

    private static PlaceSpace Together(IEnumerable<SpaceNeed> onOneDisk)
    {
        var needs = onOneDisk.ToList();
        var all = needs[0] with
        {
            What = string.Join(" and ", needs.Select(n => n.What)),
            Least = needs.Sum(n => n.Least),
            Wanted = needs.Sum(n => n.Wanted),
            Names = needs.Sum(n => n.Names),
        };
        try
        {
            return new PlaceSpace(all, Room.At(all.Path));
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
