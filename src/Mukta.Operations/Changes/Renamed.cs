using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

[JsonDerivedType(typeof(Renamed), "renamed")]
public abstract partial record Change;

/// <summary>Something got another name or another place.</summary>
/// <param name="Path">The name that it has now.</param>
/// <param name="From">The name that it had.</param>
public sealed record Renamed(
    [property: JsonConverter(typeof(PathText))] string Path, [property: JsonConverter(typeof(PathText))] string From) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a name";

    /// <inheritdoc/>
    protected override string About => Path;

    /// <summary>Its number, which it keeps unless it was copied to another mount; null in journals without it.</summary>
    public ulong? Inode { get; init; }

    internal override IEnumerable<string> Folders => [Folder.ParentOf(From), Folder.ParentOf(Path)];

    internal override void Apply(ChangeSite site) => Relocation.Move(site.Anchor, From, Path, replace: IsOne(site));

    internal override bool Settle(ChangeSite site)
    {
        Relocation.Settle(site.Anchor, From, Path);
        return IsOne(site)
            || (site.Look(Path) is { } there && (site.Look(From) is not { } from || there.MountId != from.MountId || there.Inode == Inode));
    }

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (undo.HasSetAside(this, Path))
            return; // Done before an interruption.
        if (site.Look(Path) is null)
        {
            if (site.Look(From) is null)
                throw new NotRestoredException("it is no longer there");
            return; // It has its old name already.
        }

        if (site.Look(From) is not null && !IsOne(site))
            throw new NotRestoredException($"something else is at {PathBytes.Shown(From)} now");
        undo.EnsureFolder(Folder.ParentOf(From));
        undo.Rename(Path, From);
    }

    /// <summary>True on a disk that ignores letter case: both names lead to the same.</summary>
    private bool IsOne(ChangeSite site) =>
        site.Look(Path) is { } there && site.Look(From) is { } from && there.IsSameAs(from) && there.Links == 1;
}
