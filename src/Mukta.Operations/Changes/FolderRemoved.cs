using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(FolderRemoved), "folder-removed")]
public abstract partial record Change;

/// <summary>An empty folder was removed.</summary>
/// <param name="Path">The folder.</param>
/// <param name="Mode">The permission bits that it had, octal.</param>
/// <param name="User">Its owner.</param>
/// <param name="Group">Its group.</param>
/// <param name="ModifiedNs">When it was last changed, nanoseconds since 1970 UTC.</param>
public sealed record FolderRemoved(
    [property: JsonConverter(typeof(PathText))] string Path, string Mode, uint User, uint Group, long ModifiedNs) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a removed folder";

    /// <inheritdoc/>
    protected override string About => Path;

    internal override bool IsSound => Octal.IsMode(Mode);

    internal override IEnumerable<string> Folders => [Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => site.Anchor.TryRemoveEmptyFolder(Path);

    internal override bool Settle(ChangeSite site) => site.Look(Path) is null;

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (site.Look(Path) is { Kind: not NodeKind.Folder })
            throw new NotRestoredException("something else is in its place now");
        undo.EnsureFolder(Path);
        site.Anchor.SetOwner(Path, User, Group);
        site.Anchor.SetMode(Path, Octal.Parse(Mode));
        site.Anchor.SetModified(Path, ModifiedNs);
    }
}
