using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(CopyKept), "copy-kept")]
public abstract partial record Change;

/// <summary>A finished copy was kept of what may be changed from outside, by a vendor's setup program. The original stayed.</summary>
/// <param name="Path">What it is a copy of.</param>
/// <param name="Staged">Where the copy was made.</param>
public sealed record CopyKept(
    [property: JsonConverter(typeof(PathText))] string Path, [property: JsonConverter(typeof(PathText))] string Staged) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a copy";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <inheritdoc/>
    protected override bool KeepsFile => true;

    internal override IEnumerable<string> Folders => [Disk.Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => site.Anchor.Move(Staged, site.At(this));

    internal override bool Settle(ChangeSite site) => site.Look(site.At(this)) is not null;

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system) => undo.PutBack(site, this, Path);
}
