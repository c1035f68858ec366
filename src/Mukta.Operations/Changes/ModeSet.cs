using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(ModeSet), "mode-set")]
public abstract partial record Change;

/// <summary>Permission bits were set.</summary>
/// <param name="Path">Of what.</param>
/// <param name="Mode">The bits that it had, octal.</param>
/// <param name="To">The bits that it has now, octal.</param>
public sealed record ModeSet([property: JsonConverter(typeof(PathText))] string Path, string Mode, string To) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore permissions";

    /// <inheritdoc/>
    protected override string About => Path;

    internal override bool IsSound => Octal.IsMode(Mode) && Octal.IsMode(To);

    internal override void Apply(ChangeSite site) => site.Anchor.SetMode(Path, Octal.Parse(To));

    internal override bool Settle(ChangeSite site) => site.Look(Path)?.Mode == Octal.Parse(To);

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (site.Look(Path) is null)
            throw new NotRestoredException("it is no longer there");
        undo.SetMode(Path, Octal.Parse(Mode));
    }
}
