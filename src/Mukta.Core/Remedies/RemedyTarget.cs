using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Remedies;

/// <summary>The product that a remedy acts on. Everything in it was found and read once.</summary>
/// <param name="Machine">The machine.</param>
/// <param name="Catalog">All profiles that are available.</param>
/// <param name="Loaded">The product.</param>
/// <param name="Installs">The installs that are meant, real paths; none if the product is not there.</param>
public sealed record RemedyTarget(Machine Machine, ProfileCatalog Catalog, LoadedProfile Loaded, IReadOnlyList<string> Installs)
{
    /// <summary>The product's profile.</summary>
    public Profile Profile => Loaded.Profile;

    /// <summary>The release's manifest; null if none can be read.</summary>
    public Manifest? Manifest => NamedManifest?.Value ?? Loaded.TryReadManifest().Manifest;

    /// <summary>The release's manifest, for a remedy that can do nothing without it.</summary>
    /// <exception cref="MuktaException">The profile names none, or it cannot be read.</exception>
    public Manifest NeededManifest => (NamedManifest ?? Loaded.ManifestFile).Value;

    /// <summary>The manifest that the user names; null for the profile's own.</summary>
    public LazyManifest? NamedManifest { get; init; }

    /// <summary>Installs of other products, real paths.</summary>
    public IReadOnlyList<string> OtherInstalls
    {
        get => field ??= new Reinstall.ReinstallChoice(Machine, Catalog).OfOthers(Loaded);
        init;
    }

    /// <summary>Knows who uses the product.</summary>
    public required RunningGuard Guard { get; init; }

    /// <summary>
    /// The installs, or one that is null for a product that is not there: what lies around an install may be there without it.
    /// </summary>
    public IEnumerable<string?> InstallsOrNone => Installs.Count == 0 ? [null] : [.. Installs];

    /// <summary>What is touched if the installs and these are.</summary>
    public TouchedPlaces Touched(IEnumerable<string> paths, IReadOnlyList<string> stopped) => new(Guard, [.. Installs, .. paths], stopped);
}
