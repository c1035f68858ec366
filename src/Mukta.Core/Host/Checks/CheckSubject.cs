using Mukta.Host.Runtime;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;

namespace Mukta.Host.Checks;

/// <summary>A product that is checked, with what all areas ask of it.</summary>
/// <param name="Loaded">The product.</param>
/// <param name="Manifest">Its manifest; null if none could be read.</param>
/// <param name="Facts">Its installs.</param>
/// <param name="Pending">Operations of it that are not over.</param>
internal sealed record CheckSubject(
    LoadedProfile Loaded, Manifest? Manifest, InstallFacts Facts, IReadOnlyList<PendingOperation> Pending)
{
    public Profile Profile => Loaded.Profile;

    /// <summary>True for the product that was asked for: what concerns the whole machine is said with it, once.</summary>
    public bool IsFirst { get; init; }

    /// <summary>The installs of all products that are checked.</summary>
    public IReadOnlyList<string> Installs { get; init; } = [];

    public string? Install => Facts.Chosen?.Path;

    /// <summary>What it needs from the machine, looked at once; null if the profile asks for nothing or there is no install.</summary>
    public required Lazy<RuntimeFacts?> Runtime { get; init; }
}
