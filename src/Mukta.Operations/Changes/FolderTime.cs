using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(FolderTime), "folder-time")]
public abstract partial record Change;

/// <summary>Names in a folder are changed from here on. An undo that has come back to here sets the folder's time.</summary>
/// <param name="Path">The folder; "" for the anchor itself.</param>
/// <param name="ModifiedNs">When it was last changed before, nanoseconds since 1970 UTC.</param>
public sealed record FolderTime([property: JsonConverter(typeof(FolderText))] string Path, long ModifiedNs) : Change
{
    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        var folder = Path.Length == 0 ? "." : Path;
        if (site.Look(folder) is { Kind: NodeKind.Folder })
            site.Anchor.SetModified(folder, ModifiedNs);
    }
}
