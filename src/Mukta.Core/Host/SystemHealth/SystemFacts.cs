using Mukta.Host.Packages;

namespace Mukta.Host.SystemHealth;

/// <summary>A graphics device and what drives it.</summary>
/// <param name="Device">Its address, such as <c>0000:01:00.0</c>.</param>
/// <param name="Module">The kernel module that drives it; null if none does.</param>
/// <param name="Version">The module's version; null if it has none of its own, as those that come with the kernel.</param>
/// <param name="Libraries">The versions of the module's library for programs that are installed.</param>
public sealed record GraphicsDevice(string Device, string? Module, string? Version, IReadOnlyList<string> Libraries);

/// <summary>The system's packages, as far as a product needs them.</summary>
/// <param name="Manager">The package manager; null if there is none that is known.</param>
/// <param name="Altered">Files of packages that the product needs.</param>
/// <param name="Updates">Packages that the product needs, and that are behind.</param>
/// <param name="NeededFiles">The files that the product itself needs, as the machine names them.</param>
public sealed record PackageFacts(
    IPackageManager? Manager, IReadOnlyList<AlteredFile> Altered, IReadOnlyList<PendingUpdate> Updates, IReadOnlyList<string> NeededFiles);

/// <summary>The condition of a machine, whatever the product.</summary>
public sealed record SystemFacts
{
    /// <summary>The package manager; null if there is none that is known.</summary>
    public IPackageManager? Manager { get; init; }

    /// <summary>Packages that are only partly installed.</summary>
    public IReadOnlyList<UnfinishedPackage> Unfinished { get; init; } = [];

    /// <summary>Why the machine has to be restarted, in words; null if nothing asks for it.</summary>
    public string? RestartDue { get; init; }

    /// <summary>Its graphics devices.</summary>
    public IReadOnlyList<GraphicsDevice> Graphics { get; init; } = [];

    /// <summary>Bytes of memory that programs can still get; null if that is not known.</summary>
    public long? MemoryFree { get; init; }

    /// <summary>Bytes of memory that the machine has; null if that is not known.</summary>
    public long? MemoryTotal { get; init; }

    /// <summary>Bytes of swap that are free.</summary>
    public long SwapFree { get; init; }

    /// <summary>The most files that a program may have open; null for no limit, or if that is not known.</summary>
    public long? OpenFiles { get; init; }

    /// <summary>True if a time service keeps the clock right; null if that is not known.</summary>
    public bool? IsClockSynchronised { get; init; }

    /// <summary>Why something could not be checked; null if everything was.</summary>
    public string? Unseen { get; init; }
}
