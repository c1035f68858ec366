using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(Replaced), "replaced")]
public abstract partial record Change;

/// <summary>
/// A finished file took the place of an old one. The old one got a second name in the kept files first, so that the path always leads
/// to a whole file; on a disk without hard links it was moved there just before.
/// </summary>
/// <param name="Path">The file.</param>
/// <param name="Staged">Where the new one was finished.</param>
public sealed record Replaced(
    [property: JsonConverter(typeof(PathText))] string Path, [property: JsonConverter(typeof(PathText))] string Staged) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a file";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <inheritdoc/>
    protected override bool KeepsFile => true;

    internal override IEnumerable<string> Folders => [Folder.ParentOf(Path)];

    internal override void Prepare(ChangeSite site)
    {
        if (!site.Anchor.TryLink(Path, site.At(this)))
            Relocation.Move(site.Anchor, Path, site.At(this));
    }

    internal override void Apply(ChangeSite site) => Relocation.Move(site.Anchor, Staged, Path, replace: true);

    internal override bool Settle(ChangeSite site)
    {
        Relocation.Settle(site.Anchor, Path, site.At(this));
        if (site.Look(site.At(this)) is not { } kept)
            return false;
        Relocation.Settle(site.Anchor, Staged, Path);
        var now = site.Look(Path);
        if (now is null)
            Relocation.Move(site.Anchor, site.At(this), Path); // It was moved, and the new one had not come yet.
        else if ((now.Value.Device, now.Value.Inode) == (kept.Device, kept.Inode))
            site.Anchor.RemoveFile(site.At(this)); // It is the second name of what is still in its place.
        else
            return true;
        return false;
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        var kept = site.At(this);
        if (site.Look(kept) is { Kind: NodeKind.File } && site.Look(Path) is { Kind: NodeKind.File })
        {
            undo.Replace(kept, Path);
            undo.Return(this, undo.LastKeptHere, Staged);
        }
        else
        {
            undo.PutBack(site, this, Path);
        }
    }
}
