using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>What is wanted of a repair beside bringing back what is wrong.</summary>
public sealed record RepairWish
{
    /// <summary>Set aside the files that the manifest does not list.</summary>
    public bool HoldStrays { get; init; }

    /// <summary>Files to hold whatever their state, and to bring back fresh; none where this is null.</summary>
    public Func<ManifestFile, bool>? Renew { get; init; }

    /// <summary>
    /// The release that was here before: what only it lists is not a stray but a leftover, and is kept. Null if it is the same, or not
    /// known.
    /// </summary>
    public Manifest? Older { get; init; }

    /// <summary>What the install's file system can do.</summary>
    public FileSystemCapabilities Disk { get; init; } = new(false, false, true, null);

    /// <summary>A smaller file is always rebuilt and never patched, in bytes: 8 MiB.</summary>
    public long LeastToPatch { get; init; } = 8 << 20;
}
