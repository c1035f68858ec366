using Mukta.Disk;
using Mukta.Host.Access;
using Mukta.Products;

namespace Mukta.Host.Caches;

/// <summary>Looks at a product's caches.</summary>
/// <param name="machine">The machine.</param>
public sealed class CacheLook(Machine machine)
{
    /// <summary>Measures the caches and temporary files of a product, in the order of the profile.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install; null if there is none.</param>
    /// <param name="cancel">Ends the walk.</param>
    public IReadOnlyList<CacheFolder> At(Profile profile, string? install, CancellationToken cancel)
    {
        var users = profile.UserData.SelectMany(p => machine.Folders.At(p, install)).ToList();
        var player = Player.Of(machine);
        var found = new List<CacheFolder>();
        foreach (var cache in profile.Caches)
            Measure(cache);
        Measure(new CachePlaces(CacheFolder.Temporary, profile.Temporary, "partly downloaded or temporary", CacheClearing.Usual));
        return found;

        void Measure(CachePlaces cache) => found.AddRange(
            cache.Places.SelectMany(p => machine.Folders.At(p, install).Select(path => (Path: path, Pattern: p))).DistinctBy(p => p.Path)
            .Select(p => CacheAt(
                cache, p.Path,
                (cache.Clearing == CacheClearing.Never ? "is not to be cleared, says the profile" : null)
                ?? UserDataReason(p.Path, users) ?? ProductPlaces.FaultAt(p.Path, p.Pattern, machine.Folders, install),
                player, cancel))
            .OfType<CacheFolder>());
    }

    private static string? UserDataReason(string path, List<string> users) =>
        users.Find(
        u => u == path || path.StartsWith(u + "/", StringComparison.Ordinal)
        || u.StartsWith(path + "/", StringComparison.Ordinal)) is { } user
            ? $"belongs together with the user's own {PathBytes.Shown(user)}"
            : null;

    private static CacheFolder? CacheAt(CachePlaces cache, string path, string? blocked, Player player, CancellationToken cancel)
    {
        using var parent = Folder.Open(System.IO.Path.GetDirectoryName(path)!);
        var own = System.IO.Path.GetFileName(path);
        if (parent.Look(own) is not { } node)
            return null; // Gone since it was listed.
        if (node.Kind == NodeKind.Link)
            blocked ??= "is a link; the profile has to name the folder that it points to";
        var size = TreeBulk.Measure(parent, own, cancel);
        return new CacheFolder(cache.Name, path, node.Kind, size, cache.Holds, blocked)
        {
            IsOnlyByName = cache.Clearing == CacheClearing.ByName,
            IsWritable = node.Kind != NodeKind.Folder || player.May(node, Right.Read | Right.Write | Right.Enter),
            Owner = node.User,
        };
    }
}
