namespace Mukta.Fetching;

/// <summary>A range of a file, in bytes.</summary>
/// <param name="Offset">Where it begins.</param>
/// <param name="Length">How long it is; at least 1.</param>
public readonly record struct ByteRange(long Offset, long Length)
{
    /// <summary>The first byte after it.</summary>
    public long End => Offset + Length;
}
