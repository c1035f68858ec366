using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(Swapped), "swapped")]
public abstract partial record Change;

/// <summary>A finished folder took the place of another at once, with an exchange of names; the old one is in the kept files.</summary>
/// <param name="Path">The folder.</param>
/// <param name="Staged">Where the new one was finished.</param>
/// <param name="Inode">The number of the old one; some file systems give others each time they are mounted.</param>
public sealed record Swapped(
    [property: JsonConverter(typeof(PathText))] string Path, [property: JsonConverter(typeof(PathText))] string Staged, ulong Inode)
    : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a folder";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <inheritdoc/>
    protected override bool KeepsFile => true;

    /// <summary>When names in the old one were changed last, in nanoseconds since 1970 UTC.</summary>
    public long ModifiedNs { get; init; }

    /// <summary>The same of the new one.</summary>
    public long StagedModifiedNs { get; init; }

    internal override IEnumerable<string> Folders => [Folder.ParentOf(Path)];

    internal override void Prepare(ChangeSite site) => site.Anchor.Move(Staged, site.At(this));

    internal override void Apply(ChangeSite site) => site.Anchor.Exchange(site.At(this), Path, Aside(site));

    internal override bool Settle(ChangeSite site)
    {
        var (anchor, kept, aside) = (site.Anchor, site.At(this), Aside(site));
        if (site.Look(aside) is not null)
        {
            // A disk that cannot exchange names was interrupted between its three steps; a program may have made the folder anew.
            if (site.Look(kept) is not null)
                anchor.Move(kept, site.Look(Path) is null ? Path : Staged);
            anchor.Move(aside, kept);
            return true;
        }

        if (!IsOldInPlace(site))
            return true;
        if (site.Look(kept) is not null)
            anchor.Move(kept, Staged);
        return false;
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (IsOldInPlace(site))
            return; // It is back already.
        if (site.Look(site.At(this)) is { Kind: NodeKind.Folder } && site.Look(Path) is { Kind: NodeKind.Folder })
        {
            undo.Swap(site.At(this), Path);
            undo.Return(this, undo.LastKeptHere, Staged);
        }
        else
        {
            undo.PutBack(site, this, Path);
        }
    }

    /// <summary>The one in the kept files is out of everybody's reach, and so tells by its time which of the two it is.</summary>
    private bool IsOldInPlace(ChangeSite site)
    {
        var kept = site.Look(site.At(this))?.ModifiedNs;
        return ModifiedNs != StagedModifiedNs && (kept == ModifiedNs || kept == StagedModifiedNs) ? kept == StagedModifiedNs
            : site.Look(Path)?.Inode == Inode;
    }

    private string Aside(ChangeSite site) => site.At(this) + "-aside";
}
