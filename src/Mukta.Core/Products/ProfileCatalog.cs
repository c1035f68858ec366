using Mukta.Fetching;
using Mukta.Manifests;

namespace Mukta.Products;

/// <summary>A profile and the file it came from.</summary>
/// <param name="Profile">The profile.</param>
/// <param name="File">The file.</param>
public sealed record LoadedProfile(Profile Profile, string File)
{
    private LazyManifest? lazy;

    /// <summary>
    /// The manifest as a path or URL: a relative file is looked for beside the profile. Null if the profile names none.
    /// </summary>
    public string? ManifestLocation => Profile.Manifest is not { } manifest ? null
        : manifest.Location.Contains("://", StringComparison.Ordinal) ? manifest.Location
        : Path.Combine(Path.GetDirectoryName(File) ?? "", manifest.Location);

    /// <summary>The manifest's address where it is on the network; null if it is a file.</summary>
    public Uri? ManifestUrl => IndexPlace is null && Profile.Manifest?.UrlOfRelease is not null ? null
        : ManifestLocation is { } location && location.Contains("://", StringComparison.Ordinal) ? new Uri(location) : null;

    /// <summary>The manifest's file, which is read once. One on the network is asked for when it is first read.</summary>
    /// <exception cref="MuktaException">The profile names none.</exception>
    public LazyManifest ManifestFile => lazy ??= ManifestLocation is not { } location
        ? throw new MuktaException(ExitCode.BadInput, "The profile names no manifest.", File, "Name one with --manifest.")
        : IndexPlace is not null || Profile.Manifest!.UrlOfRelease is not null ? ManifestOf(null)
        : ManifestUrl is { } url ? OnNetwork(url, Profile.Manifest!.FreshFor) : OnDisk(location);

    /// <summary>True if a release can be named: by an index, or in the manifest's address.</summary>
    public bool HasReleases => IndexPlace is not null || Profile.Manifest?.UrlOfRelease is not null;

    /// <summary>Where its index of releases is; null if it has none.</summary>
    public IndexPlace? IndexPlace => Profile.Manifest is { Channel: { } channel } manifest
        ? new IndexPlace(new Uri(manifest.Location), channel, manifest.FreshFor) { UrlOfRelease = manifest.UrlOfRelease } : null;

    /// <summary>The manifest of a release; null for the newest of its channel. Without an index it is the profile's one manifest.</summary>
    /// <exception cref="MuktaException">Its address needs a release, and none is named.</exception>
    public LazyManifest ManifestOf(string? release)
    {
        if (IndexPlace is { } place)
            return Published?.OfIndex(place, release, Trust, Profile.Product) ?? throw NotAsked(place.Url);
        if (Profile.Manifest is not { UrlOfRelease: { } template, FreshFor: var freshFor })
            return ManifestFile;
        if (release is null)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The address of the manifest needs the version of a release.", template,
                "Name one with --release, or add an index of releases to the profile (manifest, index).");
        }

        var url = ManifestPlace.UrlOf(template, release);
        return Published?.Of(url, Trust, freshFor, Profile.Product, isOnPurpose: true) ?? throw NotAsked(url);
    }

    /// <summary>Gets manifests from the network; null if nothing is to be asked for.</summary>
    public PublishedManifests? Published { get; init; }

    /// <summary>
    /// Another manifest that the user names for the product. Where the profile names certificates, it has to be signed like the profile's.
    /// </summary>
    public LazyManifest Named(string file) =>
        PublishedManifests.IsUrl(file) ? OnNetwork(new Uri(file), TimeSpan.Zero) : OnDisk(file);

    private LazyManifest OnDisk(string file) => new(file, Trust) { Product = Profile.Product };

    private LazyManifest OnNetwork(Uri url, TimeSpan freshFor) => Published?.Of(url, Trust, freshFor, Profile.Product)
        ?? throw NotAsked(url);

    private static MuktaException NotAsked(Uri url) => new(
        ExitCode.BadInput, "The manifest is on the network, which is not asked here.", url.AbsoluteUri, "Name one with --manifest.");

    /// <summary>The files with the certificates that the product's manifests have to be signed under; none if they need not be.</summary>
    public IReadOnlyList<string> Trust =>
        [.. (Profile.Manifest?.Trust ?? []).Select(t => Path.Combine(Path.GetDirectoryName(Path.GetFullPath(File))!, t))];

    /// <summary>
    /// The manifest's file if it can be read; null if it cannot. It is not opened for that, and of one on the network what is kept will do.
    /// </summary>
    public LazyManifest? TryManifestFile => lazy ?? (IndexPlace is { } place
        ? Published?.KeptOfIndex(place, Trust, Profile.Product)
        : Profile.Manifest?.UrlOfRelease is not null ? null : ManifestUrl is { } url ? Published?.Kept(url, Trust, Profile.Product)
        : ManifestLocation is { } location && System.IO.File.Exists(location) ? ManifestFile : null);

    /// <summary>Reads the manifest if it is there.</summary>
    /// <returns>The manifest, or why it cannot be used, as the end of a sentence.</returns>
    public (Manifest? Manifest, string? Fault) TryReadManifest()
    {
        if (ManifestLocation is null)
            return (null, "the profile names no manifest");
        try
        {
            return (ManifestFile.Value, null);
        }
        catch (MuktaException e)
        {
            return (null, $"{char.ToLowerInvariant(e.What[0])}{e.What[1..].TrimEnd('.')} ({Disk.PathBytes.Shown(e.Where)})");
        }
    }
}

/// <summary>The profiles at hand: from the folder that the user names, then the user's own, then the system's.</summary>
public sealed class ProfileCatalog
{
    private readonly Dictionary<string, LoadedProfile> byProduct = new(StringComparer.Ordinal);
    private readonly Dictionary<string, MuktaException> faultyProducts = new(StringComparer.Ordinal);
    private readonly List<MuktaException> faults = [];

    private ProfileCatalog(IReadOnlyList<string> folders) => Folders = folders;

    /// <summary>Where was looked, first choice first.</summary>
    public IReadOnlyList<string> Folders { get; }

    /// <summary>The profiles, in the order of their ids.</summary>
    public IEnumerable<LoadedProfile> Profiles => byProduct.Values.OrderBy(p => p.Profile.Product, StringComparer.Ordinal);

    /// <summary>Profiles that cannot be used, and folders that cannot be read. They are in nobody's way but their own.</summary>
    public IReadOnlyList<MuktaException> Faults => faults;

    /// <summary>The folders for profiles (XDG Base Directory specification).</summary>
    public static IReadOnlyList<string> UsualFolders(Func<string, string?> environment)
    {
        var home = environment("HOME") ?? "/";
        var own = environment("XDG_CONFIG_HOME") is { } set && Path.IsPathRooted(set) ? set : Path.Join(home, ".config");
        var system = environment("XDG_CONFIG_DIRS") is { Length: > 0 } dirs ? dirs : "/etc/xdg";
        return [.. system.Split(':').Where(Path.IsPathRooted).Prepend(own).Select(f => Path.Join(f, "mukta", "profiles"))];
    }

    /// <summary>A catalog of profiles that were read otherwise.</summary>
    public static ProfileCatalog Of(params IEnumerable<LoadedProfile> profiles)
    {
        var catalog = new ProfileCatalog([]);
        foreach (var profile in profiles)
            catalog.byProduct.Add(profile.Profile.Product, profile);
        return catalog;
    }

    /// <summary>
    /// Reads every <c>.yaml</c> and <c>.yml</c> file in the folders. Of two profiles for one product, the first folder's counts. One that
    /// cannot be used is left out and is among <see cref="Faults"/>.
    /// </summary>
    /// <param name="named">The folder that the user named; null for none.</param>
    /// <param name="environment">The environment variables.</param>
    /// <param name="ofSettings">Folders that the user's settings name.</param>
    /// <param name="published">Gets manifests from the network; null if nothing is to be asked for.</param>
    /// <exception cref="MuktaException">A folder that the user named is not there or cannot be read.</exception>
    public static ProfileCatalog Read(
        string? named, Func<string, string?> environment, IReadOnlyList<string>? ofSettings = null, PublishedManifests? published = null)
    {
        if (named is not null && !Directory.Exists(named))
            throw new MuktaException(ExitCode.BadInput, "There is no such folder of profiles.", named, "Check the path after --profiles.");
        var catalog = new ProfileCatalog(
            [.. named is null ? [] : new[] { named }, .. ofSettings ?? [], .. UsualFolders(environment)]);
        foreach (var folder in catalog.Folders.Where(Directory.Exists))
        {
            if (catalog.TryReadFolder(folder) is { } fault && folder == named)
                throw fault;
        }

        foreach (var (product, profile) in catalog.byProduct.ToList())
            catalog.byProduct[product] = profile with { Published = published };
        foreach (var profile in catalog.Profiles.ToList())
            catalog.LeaveOutCircle(profile, []);
        return catalog;
    }

    /// <summary>The profile of a product.</summary>
    /// <exception cref="MuktaException">There is none.</exception>
    public LoadedProfile Of(string product) => byProduct.GetValueOrDefault(product) ?? throw faultyProducts.GetValueOrDefault(product)
        ?? new MuktaException(
        ExitCode.BadInput,
        $"There is no profile for the product "
        + $"\"{Disk.PathBytes.Shown(product)}\"{Nearest.HintOrEnd(product, byProduct.Keys)}",
        faults.Count > 0 ? string.Join("\n", faults.Select(f => f.Where)) : string.Join(", ", Folders),
        faults.Count > 0 ? "It may be one of those that cannot be used. Check them with: mukta profile check FILE"
        : "Name the folder that holds its profile with --profiles, or the install's folder instead of a product.");

    /// <summary>A product, and after it all that it needs and whose profile is at hand.</summary>
    public IReadOnlyList<LoadedProfile> WithNeeds(LoadedProfile product)
    {
        var all = new List<LoadedProfile> { product };
        for (var i = 0; i < all.Count; i++)
            all.AddRange(all[i].Profile.Needs.Select(n => byProduct.GetValueOrDefault(n)).OfType<LoadedProfile>().Except(all));
        return all;
    }

    /// <summary>True if a profile describes this product.</summary>
    public bool Has(string product) => byProduct.ContainsKey(product);

    private MuktaException? TryReadFolder(string folder)
    {
        string[] files;
        try
        {
            files = [.. Directory.EnumerateFiles(folder).Where(f => Path.GetExtension(f) is ".yaml" or ".yml")
                .Order(StringComparer.Ordinal)];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            var failure = new MuktaException(
                ExitCode.Blocked, "This folder of profiles cannot be read.", folder, "Check its rights with ls -ld, or leave it out.", e);
            faults.Add(failure);
            return failure;
        }

        var here = new Dictionary<string, LoadedProfile>(StringComparer.Ordinal);
        foreach (var file in files)
        {
            try
            {
                var profile = ProfileReader.ReadFile(file);
                if (!here.TryAdd(profile.Product, new LoadedProfile(profile, file)))
                {
                    LeaveOut(profile.Product, new ProfileFault(
                        $"The product \"{profile.Product}\" has another profile in the same folder: {here[profile.Product].File}.",
                        file, 1, 1));
                }
            }
            catch (MuktaException e)
            {
                faults.Add(e);
            }
        }

        foreach (var (product, profile) in here.Where(h => !faultyProducts.ContainsKey(h.Key)))
            byProduct.TryAdd(product, profile);
        return null;
    }

    private void LeaveOut(string product, MuktaException fault)
    {
        byProduct.Remove(product);
        if (faultyProducts.TryAdd(product, fault))
            faults.Add(fault);
    }

    private void LeaveOutCircle(LoadedProfile profile, List<LoadedProfile> way)
    {
        if (way.FindIndex(w => w.Profile.Product == profile.Profile.Product) is var begins and >= 0)
        {
            List<LoadedProfile> circle = [.. way.Skip(begins)];
            var names = string.Join(" needs ", circle.Append(profile).Select(p => p.Profile.Product));
            foreach (var one in circle)
                LeaveOut(one.Profile.Product, new ProfileFault($"What products need goes round in a circle: {names}.", one.File, 1, 1));
            return;
        }

        way.Add(profile);
        foreach (var need in profile.Profile.Needs)
        {
            if (byProduct.GetValueOrDefault(need) is { } needed)
                LeaveOutCircle(needed, way);
        }

        way.RemoveAt(way.Count - 1);
    }
}
