namespace Mukta.Disk;

/// <summary>How a copy of a tree comes to its bytes.</summary>
public enum CopyWay
{
    /// <summary>
    /// Every byte is written again, flushed, read back and compared. What an interrupted copy has finished is not copied again.
    /// </summary>
    Bytes,

    /// <summary>
    /// Each file shares its bytes until one of the two changes. Where the file system cannot do that, a file that may gets a second name,
    /// and the others are copied.
    /// </summary>
    Shared,
}

/// <summary>What a copy has left out.</summary>
/// <param name="Files">Files and links in the copy.</param>
/// <param name="Bytes">Their bytes.</param>
/// <param name="LeftOut">Sockets, pipes and devices: they are nothing without the program that made them.</param>
public sealed record CopiedTree(long Files, long Bytes, IReadOnlyList<string> LeftOut)
{
    /// <summary>Files that are second names of their originals, relative to the tree: what writes to one changes both.</summary>
    public IReadOnlyList<string> Linked { get; init; } = [];
}
