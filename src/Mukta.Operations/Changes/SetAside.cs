using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(SetAside), "set-aside")]
public abstract partial record Change;

/// <summary>Something was moved to the kept files.</summary>
/// <param name="Path">Where it was.</param>
public sealed record SetAside([property: JsonConverter(typeof(PathText))] string Path) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore what was set aside";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <inheritdoc/>
    protected override bool KeepsFile => true;

    internal override IEnumerable<string> Folders => [Disk.Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => Relocation.Move(site.Anchor, Path, site.At(this));

    /// <summary>What is kept is whole, whatever is in its old place: a program may have made that anew.</summary>
    internal override bool Settle(ChangeSite site)
    {
        Relocation.Settle(site.Anchor, Path, site.At(this));
        return site.Look(site.At(this)) is not null;
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system) => undo.PutBack(site, this, Path);
}
