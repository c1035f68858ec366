using Mukta.Disk;
using Mukta.Host;
using Mukta.Operations;
using Mukta.Products;
using Mukta.UserData;

namespace Mukta.Reinstall;

/// <summary>An older release's folder that stands beside the current one.</summary>
/// <param name="Profile">The product.</param>
/// <param name="Path">The folder, real.</param>
/// <param name="Size">How much it holds.</param>
/// <param name="Blocked">Why it stays, as the end of the sentence "it ..."; null where it may go.</param>
public sealed record StaleRelease(Profile Profile, string Path, TreeSize Size, string? Blocked);

/// <summary>Holds the folders of older releases.</summary>
/// <param name="machine">The machine.</param>
/// <param name="catalog">All profiles at hand.</param>
/// <param name="time">For the operation's date.</param>
public sealed class StaleReleases(Machine machine, ProfileCatalog catalog, TimeProvider time)
{
    private const string Command = "locate", Request = "set older releases aside";

    /// <summary>Writes down that an interrupted run has nothing left to do.</summary>
    /// <param name="product">The product; null if there were several.</param>
    public void EndInterrupted(string? product) => Operation.EndInterrupted(machine.Home, Command, product, Request);

    /// <summary>Looks at those that were found.</summary>
    public IReadOnlyList<StaleRelease> Of(Profile profile, IEnumerable<FoundInstall> installs, CancellationToken cancel)
    {
        var stale = new List<StaleRelease>();
        foreach (var install in installs.Where(i => !i.IsCurrent))
        {
            var path = Folder.RealPathOf(install.Path);
            using var folder = Folder.Open(path);
            var users = new UserPlaces(machine, catalog).Data(profile, path, cancel).Where(u => u.Path.StartsWith(path + "/", StringComparison.Ordinal)).ToList();
            var reason = users.Count > 0 ? $"holds the user's own {PathBytes.Shown(users[0].Path)}"
                : Mount.Table().Any(m => m.Point == path || m.Point.StartsWith(path + "/", StringComparison.Ordinal)) ? "is, or holds, another disk's mount point" : null;
            stale.Add(new StaleRelease(profile, path, TreeBulk.Measure(folder, ".", cancel), reason));
        }

        return stale;
    }

    /// <summary>Holds them, as one operation.</summary>
    /// <param name="releases">Which; none that is blocked.</param>
    /// <param name="begun">Told of the operation and of each folder of held areas that it uses.</param>
    /// <returns>The operation's id.</returns>
    /// <exception cref="DiskException">One cannot be moved; those before it are held.</exception>
    public string Hold(IReadOnlyList<StaleRelease> releases, Action<OperationHeader, string>? begun)
    {
        var product = releases.Count == 1 ? releases[0].Profile.Product : null;
        using var operation = Operation.Open(machine.Home, OperationHeader.New(Command, product, null, time), Request, begun);
        foreach (var release in releases)
        {
            var (area, path) = operation.For(release.Path);
            area.SetAside(path);
        }

        operation.End();
        return operation.Header.Operation;
    }
}
