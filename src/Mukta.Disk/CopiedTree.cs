namespace Mukta.Disk;

/// <summary>How a copy of a tree comes to its bytes.</summary>
public enum CopyWay
{
    /// <summary>
    /// Every byte is written anew, flushed, read back and compared. What an interrupted copy has finished is not copied again.
    /// </summary>
    Bytes,

    /// <summary>Each file gets a second name, or shares its bytes; copied only where the file system knows neither.</summary>
    HardLinks,
}

/// <summary>What a copy has left out.</summary>
/// <param name="Files">Files and links in the copy.</param>
/// <param name="Bytes">Their bytes.</param>
/// <param name="LeftOut">Sockets, pipes and devices: they are nothing without the program that made them.</param>
public sealed record CopiedTree(long Files, long Bytes, IReadOnlyList<string> LeftOut);
