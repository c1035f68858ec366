using System.Globalization;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Products;

/// <summary>A folder that looks like an install of a product.</summary>
/// <param name="Path">The folder.</param>
/// <param name="IsCurrent">False for an older release that stands beside the current one.</param>
/// <param name="HasMarker">True where the profile's marker file is there.</param>
/// <param name="Evidence">How far it agrees with the product's manifest; null where none was at hand.</param>
public sealed record FoundInstall(string Path, bool IsCurrent, bool HasMarker, InstallEvidence? Evidence);

/// <summary>How far a folder agrees with a manifest by names and sizes; no byte is read for it.</summary>
/// <param name="Listed">Files that the manifest lists.</param>
/// <param name="Present">How many of them are there with the right size.</param>
/// <param name="Bytes">The bytes of those.</param>
public sealed record InstallEvidence(int Listed, int Present, long Bytes)
{
    /// <summary>The share that is there, 0 to 1.</summary>
    public double Share => Listed == 0 ? 0 : (double)Present / Listed;

    /// <summary>Compares a folder with a manifest.</summary>
    public static InstallEvidence Of(string path, Manifest manifest)
    {
        using var folder = Folder.Open(path);
        var (present, bytes) = (0, 0L);
        foreach (var file in manifest.Files)
        {
            try
            {
                if (folder.Look(file.Path) is { Kind: NodeKind.File } found && found.Size == file.Size)
                    (present, bytes) = (present + 1, bytes + file.Size);
            }
            catch (DiskException)
            {
                // A folder that may not be searched: what lies in it is no evidence.
            }
        }

        return new InstallEvidence(manifest.Files.Count, present, bytes);
    }
}

/// <summary>Finds the installs of a product in the places that its profile names.</summary>
public sealed class InstallFinder(UserFolders folders)
{
    private const double EnoughWithoutMarker = 0.5;

    /// <summary>The installs, in the order of the profile's places; within a folder of releases the newest first.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="manifest">Its manifest, for evidence; null for none.</param>
    public IReadOnlyList<FoundInstall> Find(Profile profile, Manifest? manifest)
    {
        var found = new List<FoundInstall>();
        foreach (var place in profile.Installs.Places.SelectMany(p => folders.FoldersAt(p)).Distinct(StringComparer.Ordinal))
        {
            var isNewest = true;
            foreach (var candidate in profile.Installs.FolderPerRelease ? Releases(place) : [place])
            {
                if (Look(candidate, profile.Installs.Marker, manifest) is not { } install)
                    continue;
                found.Add(install with { IsCurrent = isNewest || !profile.Installs.FolderPerRelease });
                isNewest = false;
            }
        }

        return found;
    }

    /// <summary>
    /// A folder counts if the marker is there. If the marker itself is what is missing, half of the manifest's files do as
    /// well: a broken install has to be found too.
    /// </summary>
    private static FoundInstall? Look(string folder, string? marker, Manifest? manifest)
    {
        try
        {
            var evidence = manifest is null ? null : InstallEvidence.Of(folder, manifest);
            var hasMarker = marker is null ? Directory.EnumerateFileSystemEntries(folder).Any() : File.Exists(Path.Join(folder, marker));
            return hasMarker || evidence is { Share: >= EnoughWithoutMarker } ? new FoundInstall(folder, IsCurrent: true, hasMarker, evidence) : null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return null; // What cannot be entered is no install that could be worked on.
        }
    }

    /// <summary>The folders of a place, newest first: by the numbers in their names, so that 1.10 comes after 1.9.</summary>
    private static IEnumerable<string> Releases(string place) => UserFolders.In(place)
        .OrderByDescending(Path.GetFileName, Comparer<string?>.Create(CompareReleases));

    internal static int CompareReleases(string? a, string? b)
    {
        var (left, right) = (Parts(a ?? ""), Parts(b ?? ""));
        for (var i = 0; i < Math.Min(left.Count, right.Count); i++)
        {
            var order = char.IsAsciiDigit(left[i][0]) && char.IsAsciiDigit(right[i][0])
                ? System.Numerics.BigInteger.Parse(left[i], CultureInfo.InvariantCulture).CompareTo(System.Numerics.BigInteger.Parse(right[i], CultureInfo.InvariantCulture))
                : string.CompareOrdinal(left[i], right[i]);
            if (order != 0)
                return order;
        }

        return left.Count.CompareTo(right.Count);
    }

    /// <summary>A name as runs of digits and runs of other characters.</summary>
    private static List<string> Parts(string name)
    {
        var parts = new List<string>();
        for (var i = 0; i < name.Length;)
        {
            var start = i;
            var isNumber = char.IsAsciiDigit(name[i]);
            while (i < name.Length && char.IsAsciiDigit(name[i]) == isNumber)
                i++;
            parts.Add(name[start..i]);
        }

        return parts;
    }
}
