using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;

namespace Mukta.Remedies;

/// <summary>The one install that is checked or repaired: found once. It may be a folder that no profile describes.</summary>
/// <param name="Machine">The machine.</param>
/// <param name="Path">The install's folder.</param>
/// <param name="Guard">Knows who uses it.</param>
public sealed record InstallTarget(Machine Machine, string Path, RunningGuard Guard)
{
    /// <summary>Its manifest; null if none was needed.</summary>
    public LazyManifest? ManifestFile { get; init; }

    /// <summary>The manifest.</summary>
    /// <exception cref="MuktaException">It cannot be read.</exception>
    public Manifest Manifest => ManifestFile!.Value;

    /// <summary>Other installs of the same product: some of its pieces may be good there.</summary>
    public IReadOnlyList<string> OtherInstalls { get; init; } = [];

    /// <summary>Named groups of files, from the profile.</summary>
    public IReadOnlyDictionary<string, IReadOnlyList<string>> Components { get; init; } = new Dictionary<string, IReadOnlyList<string>>();

    /// <summary>Mirrors that the profile names beside the manifest's own.</summary>
    public IReadOnlyList<Uri> Mirrors { get; init; } = [];

    /// <summary>How the user named the install and the manifest, for the next command to type.</summary>
    public required string Arguments { get; init; }
}
