using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(Patched), "patched")]
public abstract partial record Change;

/// <summary>A range of a file whose bytes were known to be wrong was overwritten; the old bytes are in the kept files.</summary>
/// <param name="Path">The file.</param>
/// <param name="Offset">Where the range begins, in bytes.</param>
/// <param name="Length">How long it is, in bytes.</param>
/// <param name="Staged">The file that the new bytes were taken from.</param>
/// <param name="StagedOffset">Where they begin there, in bytes.</param>
/// <param name="ModifiedNs">When the file was last changed before, nanoseconds since 1970 UTC.</param>
public sealed record Patched(
    [property: JsonConverter(typeof(PathText))] string Path, long Offset, long Length,
    [property: JsonConverter(typeof(PathText))] string Staged, long StagedOffset, long ModifiedNs) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore overwritten bytes";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <inheritdoc/>
    protected override bool KeepsFile => true;

    internal override bool IsSound =>
        Offset >= 0 && StagedOffset >= 0 && Length > 0 && Offset <= long.MaxValue - Length && StagedOffset <= long.MaxValue - Length;

    /// <summary>The old bytes get their name only once they are on the disk: bytes under it are always the old ones.</summary>
    internal override void Prepare(ChangeSite site)
    {
        var part = site.At(this) + "-part";
        if (site.Look(part) is not null)
            site.Anchor.RemoveFile(part);
        using (var file = site.Anchor.OpenRead(Path))
        using (var kept = site.Anchor.CreateFile(part, 0b110_000_000))
        {
            kept.CopyFrom(file, Offset, 0, Length);
            kept.Flush();
        }

        site.Anchor.Move(part, site.At(this));
    }

    internal override void Apply(ChangeSite site)
    {
        using var from = site.Anchor.OpenRead(Staged);
        using var file = site.Anchor.OpenToPatch(Path);
        file.CopyFrom(from, StagedOffset, Offset, Length);
        file.Flush();
    }

    /// <summary>Once the old bytes are kept the range may be half written: writing them back is right either way.</summary>
    internal override bool Settle(ChangeSite site) => site.Look(site.At(this)) is not null;

    internal override void FlushBytes(ChangeSite site)
    {
        using var file = site.Anchor.OpenToPatch(Path);
        file.Flush();
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (site.Look(site.At(this)) is not { Kind: NodeKind.File })
            throw new NotRestoredException("its old bytes are no longer kept");
        if (site.Look(Path) is not { Kind: NodeKind.File } now)
            throw new NotRestoredException("the file is no longer there");
        undo.Do(new Patched(Path, Offset, Length, site.At(this), 0, now.ModifiedNs));
        site.Anchor.SetModified(Path, ModifiedNs);
    }
}
