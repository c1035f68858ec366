using Mukta.Disk;
using Mukta.Host;
using Mukta.Products;
using Mukta.State;

namespace Mukta.Reinstall;

/// <summary>What is reinstalled besides the product itself.</summary>
public enum ReinstallScope
{
    /// <summary>Nothing; of a product that is not there, what it needs and is not there either.</summary>
    Alone,

    /// <summary>What it needs.</summary>
    WithNeeds,

    /// <summary>The games that need it.</summary>
    WithGames,
}

/// <summary>Chooses the installs that are replaced, and their order: launchers first, then games, anti-cheat modules last.</summary>
/// <param name="machine">The machine.</param>
/// <param name="catalog">All profiles at hand.</param>
public sealed class ReinstallChoice(Machine machine, ProfileCatalog catalog)
{
    private readonly InstallFinder finder = new(machine.Folders);

    /// <summary>The installs.</summary>
    /// <param name="product">The product that the user has named.</param>
    /// <param name="scope">What else.</param>
    /// <param name="installs">The product's own installs that are meant; none where it is not there.</param>
    /// <param name="newPlace">Where to put a product that is not there; null for the profile's first place.</param>
    /// <exception cref="MuktaException">A product is not there, and nothing says where it belongs.</exception>
    public IReadOnlyList<(LoadedProfile Loaded, string Path)> Of(
        LoadedProfile product, ReinstallScope scope, IReadOnlyList<string> installs, string? newPlace)
    {
        var others = scope switch
        {
            ReinstallScope.WithNeeds => catalog.WithNeeds(product).Skip(1),
            ReinstallScope.WithGames => catalog.Profiles.Where(
            p => p != product && Installs(p).Count > 0 && catalog.WithNeeds(p).Contains(product)),
            _ => installs.Count > 0 ? []
            : catalog.WithNeeds(product).Skip(1).Where(p => Installs(p).Count == 0 && !Directory.Exists(NewPlace(p))),
        };
        var all = others.SelectMany(o => Or(Installs(o), () => NewPlace(o)).Select(path => (o, path)))
            .Concat(Or(installs, () => newPlace ?? NewPlace(product)).Select(path => (product, path)));
        return [.. all.OrderBy(t => t.Item1.Profile.Kind switch { ProductKind.Launcher => 0, ProductKind.Game => 1, _ => 2 })
            .Select(t => (t.Item1, Folder.RealPathOf(t.Item2)))];
    }

    /// <summary>The current installs of a product.</summary>
    public IReadOnlyList<string> Installs(LoadedProfile product) =>
        [.. finder.Find(product.Profile, product.TryManifestFile, InstallRecords.PathsOf(machine, product.Profile.Product))
        .Where(f => f.IsCurrent).Select(f => f.Path)];

    /// <summary>All installs of other products, real paths.</summary>
    public IReadOnlyList<string> OfOthers(LoadedProfile product) =>
        [.. catalog.Profiles.Where(p => p.Profile.Product != product.Profile.Product).SelectMany(Installs).Select(Folder.RealPathOf)];

    private static IEnumerable<string> Or(IReadOnlyList<string> some, Func<string> otherwise) => some.Count > 0 ? some : [otherwise()];

    /// <summary>Where a product that is not there belongs: the first place of its profile.</summary>
    /// <exception cref="MuktaException">All of its places have wildcards, or it leads to where no product's install belongs.</exception>
    public string NewPlace(LoadedProfile product)
    {
        var place = product.Profile.Installs.Places.Select(p => machine.Folders.PathOf(p)).FirstOrDefault(p => p is not null)
            ?? throw new MuktaException(
            ExitCode.BadInput, $"{product.Profile.Title} is not installed, and its profile names no place without a wildcard.",
            product.File, "Name the folder with --install.");
        if (ProductPlaces.FaultOfInstall(place, machine.Folders) is { } fault)
        {
            throw new MuktaException(
                ExitCode.NotTrusted, $"The place where {product.Profile.Title} belongs is not a product's: it {fault}.",
                $"{PathBytes.Shown(place)} leads to {PathBytes.Shown(Folder.RealPathOf(place))}",
                "Look for a link on its way, or name the folder with --install.");
        }

        return product.Profile.Installs.FolderPerRelease && product.TryReadManifest().Manifest?.Release is { Length: > 0 } release
            ? Path.Join(place, release) : place;
    }
}
