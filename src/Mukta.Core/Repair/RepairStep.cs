using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Repair;

/// <summary>One thing that a repair will do.</summary>
/// <param name="Path">Relative to the install.</param>
public abstract record RepairStep(string Path);

/// <summary>Renames a file to the letter case it is published under.</summary>
/// <param name="Path">The published name.</param>
/// <param name="From">The name it has.</param>
/// <param name="Mode">The permission bits to set with it; null if they are right.</param>
public sealed record FixCase(string Path, string From, int? Mode) : RepairStep(Path);

/// <summary>Sets permission bits.</summary>
/// <param name="Path">The file.</param>
/// <param name="From">The bits it has.</param>
/// <param name="To">The bits it gets.</param>
public sealed record FixMode(string Path, int From, int To) : RepairStep(Path);

/// <summary>Makes a symbolic link, in the place of what is there.</summary>
/// <param name="Link">The link.</param>
/// <param name="Holds">True if another link is there and is kept.</param>
public sealed record PutLink(ManifestLink Link, bool Holds) : RepairStep(Link.Path);

/// <summary>How a file is restored.</summary>
public enum PutWay
{
    /// <summary>Built whole in staging, then put in its place; the old one is kept.</summary>
    Rebuild,

    /// <summary>The same, but its good pieces share their bytes with the old one, so that only the new ones take room.</summary>
    Share,

    /// <summary>
    /// The bad pieces are overwritten in place after their old bytes are kept: a large file with a little damage need not be
    /// written again, and needs no room for a second one.
    /// </summary>
    Patch,
}

/// <summary>Brings a file back from pieces that are here and pieces that are fetched.</summary>
/// <param name="File">The file.</param>
/// <param name="Fetch">The pieces to fetch.</param>
/// <param name="Replaces">The damaged file whose good pieces are used; null if there is none.</param>
/// <param name="Way">How.</param>
/// <param name="IsFresh">True for a file that is fetched whole whatever its state, because it was asked for: nothing that is here is
/// used.</param>
public sealed record PutFile(
    ManifestFile File, IReadOnlyList<BadRange> Fetch, Node? Replaces, PutWay Way = PutWay.Rebuild, bool IsFresh = false)
    : RepairStep(File.Path)
{
    /// <summary>Extra bytes on the install's disk at most.</summary>
    public long ExtraSpace => Way switch { PutWay.Patch => 2 * BytesNeeded, PutWay.Share => BytesNeeded, _ => File.Size };

    /// <summary>Bytes that end in the kept files.</summary>
    public long BytesKept => Replaces is not { } old ? 0 : Way == PutWay.Patch ? BytesNeeded : old.Size;

    /// <summary>Bytes of the needed pieces that were found elsewhere on this machine.</summary>
    public long BytesElsewhere { get; init; }

    /// <summary>Bytes of the needed pieces.</summary>
    public long BytesNeeded => Fetch.Sum(f => f.Length);

    /// <summary>Bytes to fetch.</summary>
    public long BytesToFetch => BytesNeeded - BytesElsewhere;

    /// <summary>Bytes of the file that are here and good.</summary>
    public long BytesReused => File.Size - BytesNeeded;
}

/// <summary>Moves something to the kept files.</summary>
/// <param name="Path">What is moved.</param>
/// <param name="Kind">What it is.</param>
/// <param name="Files">How many files that are.</param>
/// <param name="Bytes">How many bytes.</param>
/// <param name="IsStray">True for a stray; false for what is in the way of a published name.</param>
public sealed record HoldAway(string Path, NodeKind Kind, int Files, long Bytes, bool IsStray) : RepairStep(Path);
