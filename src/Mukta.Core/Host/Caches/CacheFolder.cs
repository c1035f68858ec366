using Mukta.Disk;

namespace Mukta.Host.Caches;

/// <summary>One cache folder, or one temporary file or folder, as it is on the disk.</summary>
/// <param name="Name">The profile's name for it; <see cref="Temporary"/> for what is temporary.</param>
/// <param name="Path">Where it is.</param>
/// <param name="Kind">What is there.</param>
/// <param name="Size">How much it holds.</param>
/// <param name="Holds">What it holds, in words.</param>
/// <param name="Blocked">Why it may not be cleared, as the end of the sentence "it ..."; null if it may.</param>
public sealed record CacheFolder(string Name, string Path, NodeKind Kind, TreeSize Size, string? Holds, string? Blocked)
{
    /// <summary>The name under which everything temporary goes.</summary>
    public const string Temporary = "temporary";

    /// <summary>True for temporary and partly downloaded files.</summary>
    public bool IsTemporary => Name == Temporary;

    /// <summary>True if it is cleared only where its name is given, since that costs the player something.</summary>
    public bool IsOnlyByName { get; init; }

    /// <summary>True if it is cleared where no name is given.</summary>
    public bool IsClearedUnnamed => Blocked is null && !IsOnlyByName && !IsTemporary;

    /// <summary>False if the player cannot write to it.</summary>
    public bool IsWritable { get; init; } = true;

    /// <summary>Its owner's number.</summary>
    public uint Owner { get; init; }
}
