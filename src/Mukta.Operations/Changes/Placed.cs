using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(Placed), "placed")]
public abstract partial record Change;

/// <summary>Something finished was put where nothing was.</summary>
/// <param name="Path">Where it is now.</param>
/// <param name="Staged">Where it was finished.</param>
public sealed record Placed(
    [property: JsonConverter(typeof(PathText))] string Path, [property: JsonConverter(typeof(PathText))] string Staged) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "set aside what was placed";

    /// <inheritdoc/>
    protected override string About => Path;

    internal override IEnumerable<string> Folders => [Disk.Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => Relocation.Move(site.Anchor, Staged, Path);

    internal override bool Settle(ChangeSite site)
    {
        Relocation.Settle(site.Anchor, Staged, Path);
        return site.Look(Path) is not null && site.Look(Staged) is null;
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (undo.HasSetAside(this, Path))
            return;
        undo.Return(this, Path, Staged);
        if (site.Look(Path) is not null)
            undo.SetAside(Path);
    }
}
