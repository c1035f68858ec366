using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Remedies;

/// <summary>What a remedy acts on. Everything in it was found and read once.</summary>
/// <param name="Machine">The machine.</param>
/// <param name="Catalog">All profiles that are available.</param>
/// <param name="Loaded">The product.</param>
/// <param name="Installs">The installs that are meant, real paths; none if the product is not there.</param>
public sealed record RemedyTarget(Machine Machine, ProfileCatalog Catalog, LoadedProfile Loaded, IReadOnlyList<string> Installs)
{
    /// <summary>The product's profile.</summary>
    public Profile Profile => Loaded.Profile;

    /// <summary>The release's manifest; null if none can be read.</summary>
    public Manifest? Manifest { get; init; }

    /// <summary>Installs of other products, real paths.</summary>
    public IReadOnlyList<string> OtherInstalls { get; init; } = [];

    /// <summary>The product as the user named it, for the next command to type.</summary>
    public required string Arguments { get; init; }

    /// <summary>The processes that use the product or something that is about to be touched. A service's own process is not among them.</summary>
    /// <param name="touched">What is about to be touched.</param>
    /// <param name="services">Services that are stopped by the remedy itself.</param>
    /// <exception cref="ProductRuns">There are some.</exception>
    public void RefuseIfRunning(IEnumerable<string> touched, IReadOnlyList<ServiceState> services)
    {
        if (!Machine.IsLive)
            return;
        List<string> folders = [.. Installs.Concat(touched).Where(Path.Exists).Select(Real).Distinct(StringComparer.Ordinal)];
        var running = new ProcessTable().Using(folders, Profile.Processes).Running.Where(r => services.All(s => s.MainPid != r.Pid)).ToList();
        if (running.Count > 0)
            throw new ProductRuns(running, $"End it with: mukta stop {Arguments}");
    }

    private static string Real(string path)
    {
        if (Directory.Exists(path))
            return Folder.RealPathOf(path);
        return Path.Join(Folder.RealPathOf(Path.GetDirectoryName(path)!), Path.GetFileName(path));
    }
}
