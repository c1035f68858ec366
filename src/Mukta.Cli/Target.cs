using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;

namespace Mukta.Cli;

/// <summary>What a command works on.</summary>
/// <param name="Path">The install's folder.</param>
/// <param name="ManifestPath">Its manifest; empty for a command that needs none.</param>
/// <param name="Arguments">How the user named both, for the next command to type.</param>
/// <param name="ProcessNames">What the profile says the product's processes are called.</param>
internal sealed record Target(string Path, string ManifestPath, string Arguments, IReadOnlyList<string> ProcessNames)
{
    /// <summary>The machine that it is on.</summary>
    public Machine Machine { get; init; } = Machine.Here(UserEnvironment.Get);

    /// <summary>Other installs of the same product: some of its pieces may be good there.</summary>
    public IReadOnlyList<string> OtherInstalls { get; init; } = [];

    /// <summary>Named groups of files, from the profile.</summary>
    public IReadOnlyDictionary<string, IReadOnlyList<string>> Components { get; init; } = new Dictionary<string, IReadOnlyList<string>>();

    /// <summary>Mirrors that the profile names beside the manifest's own.</summary>
    public IReadOnlyList<Uri> Mirrors { get; init; } = [];

    /// <summary>The processes that use the install.</summary>
    public ProcessLook Running(Folder install) => new ProcessTable().Using([install.RealPath], ProcessNames);

    /// <summary>Refuses to go on while the product runs.</summary>
    /// <exception cref="ProductRuns">It does.</exception>
    public void RefuseIfRunning(Folder install)
    {
        if (Running(install).Running is { Count: > 0 } running)
            throw new ProductRuns(running, $"End it with: mukta stop {Arguments}");
    }
}
