using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(FolderMade), "folder-made")]
public abstract partial record Change;

/// <summary>A folder was made.</summary>
/// <param name="Path">The folder; the one around it was there.</param>
public sealed record FolderMade([property: JsonConverter(typeof(PathText))] string Path) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "remove a folder that was made";

    /// <inheritdoc/>
    protected override string About => Path;

    internal override IEnumerable<string> Folders => [Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => site.Anchor.EnsureFolder(Path);

    internal override bool Settle(ChangeSite site) => site.Look(Path) is { Kind: NodeKind.Folder };

    /// <summary>What others have put into it since keeps it there.</summary>
    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system) => undo.TryRemoveFolder(Path);
}
