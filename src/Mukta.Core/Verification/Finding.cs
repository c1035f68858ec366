using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>What verification says of one name.</summary>
public enum FileState
{
    /// <summary>Everything is as published.</summary>
    Intact,

    /// <summary>Nothing is at the path.</summary>
    Missing,

    /// <summary>The bytes differ from the published ones, or a link points elsewhere.</summary>
    Damaged,

    /// <summary>The right bytes are under a name that differs only by letter case.</summary>
    Miscased,

    /// <summary>A folder or link is where a file belongs, or the other way round.</summary>
    WrongKind,

    /// <summary>The bytes are right, the permission bits are not.</summary>
    WrongMode,

    /// <summary>The bytes cannot be read.</summary>
    Unreadable,

    /// <summary>No manifest lists the file.</summary>
    Stray,
}

/// <summary>One thing that differs from what should be, with its evidence.</summary>
/// <param name="Path">Relative to the install.</param>
public abstract record Finding(string Path)
{
    /// <summary>The kind of finding.</summary>
    public abstract FileState State { get; }

    /// <summary>Bytes that a repair would have to fetch for it.</summary>
    public virtual long BytesToFetch => 0;
}

/// <summary>Nothing is at the path.</summary>
public sealed record Missing(ManifestEntry Entry) : Finding(Entry.Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Missing;

    /// <inheritdoc/>
    public override long BytesToFetch => Entry is ManifestFile file ? file.Size : 0;
}

/// <summary>Neighbouring bad pieces of a file.</summary>
/// <param name="FirstPiece">Number of the first bad piece, from 0.</param>
/// <param name="LastPiece">Number of the last one.</param>
/// <param name="Offset">Where they begin, in bytes.</param>
/// <param name="Length">Their length in bytes, as published.</param>
/// <param name="ZerosFrom">From which byte on they hold only zeros; null if they do not.</param>
public sealed record BadRange(int FirstPiece, int LastPiece, long Offset, long Length, long? ZerosFrom = null);

/// <summary>A file whose bytes differ.</summary>
/// <param name="File">As published.</param>
/// <param name="Found">As it is.</param>
/// <param name="Bad">The bad pieces, in order; none where only surplus bytes follow.</param>
public sealed record Damaged(ManifestFile File, Node Found, IReadOnlyList<BadRange> Bad) : Finding(File.Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Damaged;

    /// <inheritdoc/>
    public override long BytesToFetch => Bad.Sum(b => b.Length);

    /// <summary>How many pieces are bad.</summary>
    public int BadPieces => Bad.Sum(b => b.LastPiece - b.FirstPiece + 1);
}

/// <summary>A symbolic link that points elsewhere.</summary>
public sealed record DamagedLink(ManifestLink Link, string TargetFound) : Finding(Link.Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Damaged;
}

/// <summary>A file under a name that differs only by letter case.</summary>
public sealed record Miscased(ManifestFile File, string FoundAt, Node Found) : Finding(File.Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Miscased;
}

/// <summary>Something else is where a file, link or folder belongs.</summary>
/// <param name="Path">Relative to the install.</param>
/// <param name="Entry">What belongs there; null if a folder does.</param>
/// <param name="Found">What is there.</param>
/// <param name="FilesInside">How many files a folder in the way holds.</param>
/// <param name="BytesInside">Their bytes, or the ones of the thing itself.</param>
public sealed record WrongKind(string Path, ManifestEntry? Entry, NodeKind Found, int FilesInside, long BytesInside) : Finding(Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.WrongKind;

    /// <inheritdoc/>
    public override long BytesToFetch => Entry is ManifestFile file ? file.Size : 0;
}

/// <summary>A file whose bytes are right and whose permission bits are not.</summary>
public sealed record WrongMode(ManifestFile File, Node Found) : Finding(File.Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.WrongMode;
}

/// <summary>A file or folder that cannot be read.</summary>
public sealed record Unreadable(string Path, string Reason) : Finding(Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Unreadable;
}

/// <summary>A file that no manifest lists.</summary>
public sealed record Stray(string Path, Node Found) : Finding(Path)
{
    /// <inheritdoc/>
    public override FileState State => FileState.Stray;
}
