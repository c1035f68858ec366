using System.Globalization;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Operations;

namespace Mukta.Products;

/// <summary>A folder that looks like an install of a product.</summary>
/// <param name="Path">The folder.</param>
/// <param name="IsCurrent">False for an older release beside the current one.</param>
/// <param name="HasMarker">True if the profile's marker file is there.</param>
/// <param name="Evidence">How far it agrees with the product's manifest; null if none was at hand.</param>
public sealed record FoundInstall(string Path, bool IsCurrent, bool HasMarker, InstallEvidence? Evidence)
{
    /// <summary>The release of the manifest that it agrees with best; null if none was at hand, or it does not say.</summary>
    public string? Release { get; init; }

    /// <summary>True if only a search has found it: no profile's place and no record names it.</summary>
    public bool IsSearched { get; init; }

    /// <summary>True if the state database names it.</summary>
    public bool IsRecorded { get; init; }
}

/// <summary>How far a folder agrees with a manifest by names and sizes; no byte is read for it.</summary>
/// <param name="Listed">Files that the manifest lists.</param>
/// <param name="Present">How many of them are there with the right size.</param>
/// <param name="Bytes">The bytes of those.</param>
/// <param name="BytesListed">The bytes of all that are listed.</param>
public sealed record InstallEvidence(int Listed, int Present, long Bytes, long BytesListed)
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
                if (folder.Look(file.Path) is { Kind: NodeKind.File } found && (found.Size == file.Size || !file.HasSize))
                    (present, bytes) = (present + 1, bytes + found.Size);
            }
            catch (DiskException)
            {
                // A folder that may not be searched: what lies in it is no evidence.
            }
        }

        return new InstallEvidence(manifest.Files.Count, present, bytes, manifest.TotalSize);
    }
}

/// <summary>Finds the installs of a product in the places that its profile names.</summary>
public sealed class InstallFinder(UserFolders folders)
{
    private const double EnoughWithoutMarker = 0.5;

    /// <summary>
    /// The installs, in the order of the profile's places, then those that were recorded elsewhere; within a folder of releases the newest
    /// first. One real path is one install, under the first name that leads to it.
    /// </summary>
    /// <param name="profile">The product.</param>
    /// <param name="manifests">Manifests of its releases, for evidence.</param>
    /// <param name="recorded">Folders that were recorded as installs of it.</param>
    public IReadOnlyList<FoundInstall> Find(Profile profile, IReadOnlyList<Manifest> manifests, IReadOnlyList<string> recorded) =>
        Find(profile, recorded, folder => At(folder, profile, manifests));

    /// <summary>The same without evidence for folders that have the marker: the manifest is opened only if one has lost it.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="manifest">The manifest of its release; null if there is none.</param>
    /// <param name="recorded">Folders that were recorded as installs of it.</param>
    public IReadOnlyList<FoundInstall> Find(Profile profile, LazyManifest? manifest, IReadOnlyList<string> recorded) =>
        Find(profile, recorded,
        folder => At(folder, profile, []) ?? (manifest?.IdentityNow is null ? null : At(folder, profile, [manifest.Value])));

    private List<FoundInstall> Find(Profile profile, IReadOnlyList<string> recorded, Func<string, FoundInstall?> at)
    {
        var found = new List<FoundInstall>();
        foreach (var place in profile.Installs.Places.SelectMany(p => folders.FoldersAt(p)).Distinct(StringComparer.Ordinal))
        {
            var candidates = profile.Installs.FolderPerRelease ? UserFolders.In(place) : [place];
            found.AddRange(candidates.Where(MayBeInstall).Select(at).OfType<FoundInstall>());
        }

        // Root believes what it has recorded itself, and of a user's record only what a profile could name.
        var isOwnRecord = StatePlace.OwnerOf(folders.State).User == 0;
        found.AddRange(
            recorded.Except(found.Select(f => f.Path), StringComparer.Ordinal).Where(Directory.Exists)
            .Where(r => isOwnRecord || MayBeInstall(r)).Select(at).OfType<FoundInstall>());
        var known = recorded.Select(Folder.RealPathOf).ToHashSet(StringComparer.Ordinal);
        return [.. WithNewestCurrent([.. found.DistinctBy(f => Folder.RealPathOf(f.Path))], profile)
            .Select(f => f with { IsRecorded = known.Contains(Folder.RealPathOf(f.Path)) })];
    }

    /// <summary>Behind a link there may be a folder that no profile could name.</summary>
    private bool MayBeInstall(string folder) => ProductPlaces.FaultOfInstall(folder, folders) is null;

    /// <summary>Where each release has a folder, the newest of those that lie together is current and the others are not.</summary>
    internal static IEnumerable<FoundInstall> WithNewestCurrent(IReadOnlyList<FoundInstall> found, Profile profile) =>
        !profile.Installs.FolderPerRelease ? found
        : found.GroupBy(f => Path.GetDirectoryName(f.Path))
        .SelectMany(together => together.OrderByDescending(f => Path.GetFileName(f.Path), Comparer<string?>.Create(CompareReleases))
            .Select((install, i) => install with { IsCurrent = i == 0 }));

    /// <summary>
    /// A folder as an install; null if it does not look like one. It counts if the marker is there. If the marker itself
    /// is what is missing, half of a manifest's files do as well: a broken install has to be found too.
    /// </summary>
    /// <param name="folder">The folder.</param>
    /// <param name="profile">The product.</param>
    /// <param name="manifests">Manifests of its releases: the one that the folder agrees with best counts.</param>
    public static FoundInstall? At(string folder, Profile profile, IReadOnlyList<Manifest> manifests)
    {
        try
        {
            var (evidence, release) = manifests.Select(m => (Evidence: InstallEvidence.Of(folder, m), m.Release))
                .OrderByDescending(e => e.Evidence.Share).FirstOrDefault();
            var marker = profile.Installs.Marker;
            var hasMarker = marker is null ? Directory.EnumerateFileSystemEntries(folder).Any() : File.Exists(Path.Join(folder, marker));
            return hasMarker || evidence is { Share: >= EnoughWithoutMarker }
                ? new FoundInstall(folder, IsCurrent: true, hasMarker, evidence) { Release = release } : null;
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return null; // What cannot be entered is no install that could be worked on.
        }
    }

    /// <summary>By the numbers in the names, so that 1.10 comes after 1.9.</summary>
    internal static int CompareReleases(string? a, string? b)
    {
        var (left, right) = (Parts(a ?? ""), Parts(b ?? ""));
        for (var i = 0; i < Math.Min(left.Count, right.Count); i++)
        {
            var order = char.IsAsciiDigit(left[i][0]) && char.IsAsciiDigit(right[i][0])
                ? System.Numerics.BigInteger.Parse(left[i], CultureInfo.InvariantCulture)
                .CompareTo(System.Numerics.BigInteger.Parse(right[i], CultureInfo.InvariantCulture))
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
