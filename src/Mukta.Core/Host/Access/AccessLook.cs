using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Host.Access;

/// <summary>A folder in which the player cannot do what has to be done.</summary>
/// <param name="Path">The folder.</param>
/// <param name="Lacks">What the player may not do there.</param>
/// <param name="Owner">Its owner's number.</param>
/// <param name="Mode">Its permission bits.</param>
/// <param name="For">What lies behind it, in words.</param>
/// <param name="IsVital">True if the product cannot work without.</param>
public sealed record BlockedFolder(string Path, Right Lacks, uint Owner, int Mode, string For, bool IsVital);

/// <summary>Things in an install that have something in common.</summary>
/// <param name="First">The first one.</param>
/// <param name="Count">How many.</param>
/// <param name="Owner">The owner of the first.</param>
public sealed record SuchFiles(string First, int Count, uint Owner);

/// <summary>Who may do what where a product lies.</summary>
/// <param name="Mount">The mount of the install; null if it cannot be told.</param>
/// <param name="Blocked">Folders that block, at most one for each thing that has to be reached.</param>
/// <param name="Foreign">What in the install belongs to somebody other than the install's owner and the player.</param>
/// <param name="Locked">What in the install nobody may change.</param>
/// <param name="Unseen">Folders that could not be looked into.</param>
public sealed record AccessFacts(Mount? Mount, IReadOnlyList<BlockedFolder> Blocked, SuchFiles? Foreign, SuchFiles? Locked, int Unseen);

/// <summary>Looks at owners, permission bits, flags and mounts around an install.</summary>
/// <param name="machine">The machine.</param>
public sealed class AccessLook(Machine machine)
{
    private const int MostNames = 200_000;

    /// <summary>Looks at the folders that the player has to enter, read or write.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install.</param>
    /// <param name="cancel">Ends the walk.</param>
    public AccessFacts At(Profile profile, string install, CancellationToken cancel)
    {
        var player = Player.Of(machine);
        var real = RealPath(install);
        var isOwn = real.StartsWith(RealPath(machine.Folders.Home) + "/", StringComparison.Ordinal);
        var blocked = new List<BlockedFolder?>
        {
            OnTheWay(player, real, Right.Read | Right.Enter, "the install", isVital: true)
                ?? (isOwn ? OnTheWay(player, real, Right.Write, "updates of the install", isVital: false) : null),
        };
        foreach (var path in profile.UserData.SelectMany(p => machine.Folders.FoldersAt(p, install)).Append(machine.Folders.Config)
            .Append(machine.Folders.Data).Distinct().Where(Directory.Exists))
            blocked.Add(OnTheWay(
                player, RealPath(path), Right.Read | Right.Write | Right.Enter,
                path == machine.Folders.Config ? "the player's settings" : "the player's own data", isVital: true));
        var (foreign, locked, unseen) = Inside(player, install, cancel);
        return new AccessFacts(Mount.Of(
            real, Mount.Table()), [.. blocked.OfType<BlockedFolder>().DistinctBy(b => (b.Path, b.Lacks))], foreign, locked, unseen);
    }

    /// <summary>
    /// The first folder from the root on that the player cannot enter, or the last one in which something else is lacking.
    /// </summary>
    private BlockedFolder? OnTheWay(Player player, string path, Right rights, string what, bool isVital)
    {
        var way = new List<string> { path };
        while (Path.GetDirectoryName(way[^1]) is { } parent && way[^1] != machine.Root)
            way.Add(parent);
        way.Reverse();
        foreach (var folder in way)
        {
            var needed = folder == path ? rights : Right.Enter;
            try
            {
                if (Node.At(folder) is { Kind: NodeKind.Folder } node && Lacking(player, node, needed) is var lacks and not 0)
                    return new BlockedFolder(machine.NameOf(folder), lacks, node.User, node.Mode, what, isVital);
            }
            catch (DiskException e) when (e.Errno == DiskException.AccessDenied)
            {
                var owner = Path.GetDirectoryName(folder)!;
                return new BlockedFolder(
                    machine.NameOf(owner), Right.Enter, Node.At(owner)?.User ?? 0, Node.At(owner)?.Mode ?? 0, what, isVital);
            }
        }

        return null;
    }

    private static Right Lacking(Player player, Node node, Right needed) =>
        new[] { Right.Enter, Right.Read, Right.Write }.Where(r => needed.HasFlag(r) && !player.May(node, r))
        .Aggregate((Right)0, (all, one) => all | one);

    private static (SuchFiles? Foreign, SuchFiles? Locked, int Unseen) Inside(Player player, string install, CancellationToken cancel)
    {
        SuchFiles? foreign = null, locked = null;
        var unseen = 0;
        using var folder = OpenOrNull(install);
        if (folder?.Look(".") is not { } top)
            return (null, null, 1);
        foreach (var entry in TreeWalk.Entries(folder, path => path == ManifestPath.OwnFolder, cancel).Prepend(new TreeEntry(".", top))
            .Take(MostNames))
        {
            unseen += entry.Failure is null ? 0 : 1;
            if (entry.Node is not { } node)
                continue;
            if (node.User != top.User && node.User != player.User)
                foreign = Another(foreign, entry.Path, node);
            if (node.IsLocked)
                locked = Another(locked, entry.Path, node);
        }

        return (foreign, locked, unseen);
    }

    private static SuchFiles Another(SuchFiles? such, string path, Node node) =>
        such is null ? new SuchFiles(path, 1, node.User) : such with
        {
            Count = such.Count + 1,
        };

    private static Folder? OpenOrNull(string path)
    {
        try
        {
            return Folder.Open(path);
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    private static string RealPath(string path)
    {
        using var folder = OpenOrNull(path);
        return folder?.RealPath ?? Path.GetFullPath(path);
    }
}
