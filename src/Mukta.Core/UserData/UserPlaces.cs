using Mukta.Disk;
using Mukta.Host;
using Mukta.Products;

namespace Mukta.UserData;

/// <summary>Something of the user's, or something that a product leaves behind, as it is on the disk.</summary>
/// <param name="Path">Where it is, as seen from here: real, with no link on its way.</param>
/// <param name="Kind">What is there.</param>
/// <param name="Size">How much it holds, and when it was last used.</param>
/// <param name="Why">What names it, in words.</param>
/// <param name="Blocked">Why it may not be touched, as the end of the sentence "it ..."; null if it may.</param>
public sealed record UserPlace(string Path, NodeKind Kind, TreeSize Size, string Why, string? Blocked = null);

/// <summary>
/// Finds the user's data and the leftovers of a product. A leftover is never user data, never shared with another product,
/// never outside of the user's and the product's folders, and never a home, a mount point or a link to elsewhere.
/// </summary>
/// <param name="machine">The machine.</param>
/// <param name="catalog">All profiles at hand: what another product uses is not this one's leftover.</param>
public sealed class UserPlaces(Machine machine, ProfileCatalog catalog)
{
    /// <summary>The user's own data, as the profile names it.</summary>
    /// <exception cref="MuktaException">A link leads from there to where no product has anything.</exception>
    public IReadOnlyList<UserPlace> Data(Profile profile, string? install, CancellationToken cancel)
    {
        var found = profile.UserData.SelectMany(p => Found(p, install, $"user data: {p.Text}", cancel, use: PlaceUse.UserData)).ToList();
        return found.Find(f => f.Blocked is not null) is { } blocked
            ? throw new MuktaException(
                ExitCode.Blocked, $"What the profile calls user data {blocked.Blocked}.", PathBytes.Shown(blocked.Path),
                "Put a real folder in the place of the link, or change the profile.")
            : [.. Outermost(found)];
    }

    /// <summary>The user's own data, and files of an install that are to be treated like it.</summary>
    /// <param name="data">The user's own data.</param>
    /// <param name="install">The install.</param>
    /// <param name="files">The files, relative to the install.</param>
    /// <param name="cancel">Ends the walk.</param>
    public static IReadOnlyList<UserPlace> With(
        IReadOnlyList<UserPlace> data, string install, IEnumerable<string> files, CancellationToken cancel)
    {
        var kept = new List<UserPlace>();
        foreach (var file in files)
        {
            using var parent = Folder.Open(Path.GetDirectoryName(Path.Join(install, file))!);
            if (parent.Look(Path.GetFileName(file)) is { } node)
            {
                kept.Add(new UserPlace(
                    Path.Join(install, file), node.Kind, TreeBulk.Measure(parent, Path.GetFileName(file), cancel), "named with --keep"));
            }
        }

        return [.. Outermost(data.Concat(kept))];
    }

    /// <summary>The product's own settings and local data, with what may not be touched.</summary>
    public IReadOnlyList<UserPlace> Settings(Profile profile, string? install, CancellationToken cancel)
    {
        var (users, others) = (profile.UserData.SelectMany(p => Real(p, install)).ToList(), UsedByOthers(profile));
        return [.. Outermost(profile.Settings.SelectMany(p => Found(p, install, $"settings: {p.Text}", cancel)))
            .Select(f => f with { Blocked = Reason(f, profile, users, others) })];
    }

    /// <summary>What the product leaves behind: its leftovers, caches and temporary files.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install: what lies in it goes with it, and is not a leftover.</param>
    /// <param name="cancel">Ends the walk.</param>
    public IReadOnlyList<UserPlace> Leftovers(Profile profile, string? install, CancellationToken cancel)
    {
        var found = profile.Leftovers.SelectMany(p => Found(p, install, $"leftover: {p.Text}", cancel))
            .Concat(profile.Caches.SelectMany(
            c => c.Places.SelectMany(
            p => Found(
            p, install, $"cache {c.Name}{(c.Holds is null ? "" : $" ({c.Holds})")}", cancel,
            c.Clearing switch
            {
                CacheClearing.ByName => "is cleared only by name",
                CacheClearing.Never => "is not to be cleared, says the profile",
                _ => null,
            }))))
            .Concat(profile.Temporary.SelectMany(p => Found(p, install, $"temporary: {p.Text}", cancel)));
        var users = profile.UserData.SelectMany(p => Real(p, install)).ToList();
        var others = UsedByOthers(profile);
        return [.. Outermost(found.Where(
            f => install is null || !IsBelow(f.Path, install)).Select(f => f with { Blocked = Reason(f, profile, users, others) }))];
    }

    private List<(string Title, string Path)> UsedByOthers(Profile profile) =>
        [.. catalog.Profiles.Where(p => p.Profile.Product != profile.Product)
        .SelectMany(p => Uses(p.Profile).Select(path => (p.Profile.Title, Path: path)))];

    private string? Reason(UserPlace place, Profile profile, List<string> users, List<(string Title, string Path)> others)
    {
        if (place.Blocked is { } named)
            return named;
        if (place.Kind == NodeKind.Link)
            return "is a link; what it leads to is somebody else's to name";
        if (users.Find(u => Overlap(u, place.Path)) is { } user)
            return $"belongs together with the user's own {PathBytes.Shown(user)}";
        if (others.Find(o => Overlap(o.Path, place.Path)) is { Path: not null } other)
            return $"is used by {other.Title} too ({PathBytes.Shown(other.Path)})";
        var folders = machine.Folders;
        string[] own = [folders.Home, folders.Data, folders.Config, folders.Cache, folders.State];
        if (own.Select(Folder.RealPathOf).Any(o => IsBelow(o, place.Path)))
            return "holds all of the user's files";
        if (!own.Select(Folder.RealPathOf).Concat(profile.Installs.Places.SelectMany(p => Real(p, null))).Any(o => IsBelow(place.Path, o)))
            return "lies outside of the user's and the product's folders";
        return Mount.Table().Any(m => m.Point == place.Path || m.Point.StartsWith(place.Path + "/", StringComparison.Ordinal))
            ? "is, or holds, another disk's mount point" : null;
    }

    /// <summary>Everything that a product's profile names on this machine, there or not.</summary>
    private IEnumerable<string> Uses(Profile profile) =>
        profile.UserData.Concat(profile.Leftovers).Concat(profile.Temporary).Concat(profile.Installs.Places)
        .Concat(profile.Caches.SelectMany(c => c.Places)).Concat(profile.Shortcuts.Select(l => l.Entry))
            .Where(p => p.Variable != "install")
            .SelectMany(p => Real(p, null).Concat(machine.Folders.PathOf(p) is { } fixedPath ? [RealOf(fixedPath)] : []));

    private IEnumerable<string> Real(PathPattern pattern, string? install) => machine.Folders.At(pattern, install).Select(RealOf);

    private IEnumerable<UserPlace> Found(
        PathPattern pattern, string? install, string why, CancellationToken cancel, string? blocked = null, PlaceUse use = PlaceUse.Product)
    {
        foreach (var path in Real(pattern, install).Distinct(StringComparer.Ordinal))
        {
            using var parent = Folder.Open(Path.GetDirectoryName(path)!);
            if (parent.Look(Path.GetFileName(path)) is { } node)
            {
                yield return new UserPlace(
                    path, node.Kind, TreeBulk.Measure(parent, Path.GetFileName(path), cancel), why,
                    blocked ?? ProductPlaces.FaultAt(path, pattern, machine.Folders, install, use));
            }
        }
    }

    /// <summary>Of places that lie in one another only the outermost.</summary>
    private static IEnumerable<UserPlace> Outermost(IEnumerable<UserPlace> places)
    {
        var all = places.DistinctBy(p => p.Path).ToList();
        return all.Where(p => !all.Any(o => o != p && o.Blocked is null && IsBelow(p.Path, o.Path)));
    }

    /// <summary>The path with the links on its way followed, but not the last one.</summary>
    private static string RealOf(string path) =>
        Path.GetDirectoryName(path) is { } parent ? Path.Join(Folder.RealPathOf(parent), Path.GetFileName(path)) : path;

    private static bool Overlap(string path, string other) => IsBelow(path, other) || IsBelow(other, path);

    private static bool IsBelow(string path, string folder) =>
        path == folder || path.StartsWith(folder.TrimEnd('/') + "/", StringComparison.Ordinal);
}
