using System.Text.Json.Serialization;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// One thing that an operation changes, or a note about it, as its journal has it. A kind of change is a record in a file of its own:
/// its members are what has to be known to put it back; it knows how to be applied, how to tell after an interruption whether it was,
/// and how to be reverted. Paths are relative to the folder that the journal's <c>.mukta</c> is in.
/// </summary>
[JsonPolymorphic(TypeDiscriminatorPropertyName = "change", UnknownDerivedTypeHandling = JsonUnknownDerivedTypeHandling.FailSerialization)]
public abstract partial record Change
{
    /// <summary>Its number in the journal, from 0. What it keeps is at <c>files/NUMBER</c>.</summary>
    [JsonIgnore]
    public int Number { get; init; } = -1;

    /// <summary>In the journal of an undo: the number of the change that this puts back.</summary>
    public int? Undoes { get; init; }

    /// <summary>What an undo does about it, as the start of the line "set the old mode again: PATH"; null for a note.</summary>
    [JsonIgnore]
    public string? UndoPhrase => PhraseOfUndo;

    /// <summary>What it is about, for people: a path or a unit.</summary>
    [JsonIgnore]
    public string Subject => About;

    /// <summary>True if it is about a path; otherwise about something that is not on the disk.</summary>
    [JsonIgnore]
    public bool IsOnDisk => IsAboutPath;

    /// <summary>True if it keeps something at <c>files/NUMBER</c>.</summary>
    [JsonIgnore]
    public bool Keeps => KeepsFile;

    /// <summary>False for values that no change of that kind can have.</summary>
    internal virtual bool IsSound => true;

    /// <summary>See <see cref="UndoPhrase"/>. JSON takes no notice of what is not public.</summary>
    protected virtual string? PhraseOfUndo => null;

    /// <summary>See <see cref="Subject"/>.</summary>
    protected virtual string About => "";

    /// <summary>See <see cref="IsOnDisk"/>.</summary>
    protected virtual bool IsAboutPath => true;

    /// <summary>See <see cref="Keeps"/>.</summary>
    protected virtual bool KeepsFile => false;

    /// <summary>Folders in which it changes names. Their times are written down before, and they are flushed after.</summary>
    internal virtual IEnumerable<string> Folders => [];

    /// <summary>Makes a second copy or name of what is replaced. It is flushed before <see cref="Apply"/>.</summary>
    internal virtual void Prepare(ChangeSite site)
    {
    }

    /// <summary>Makes the change on the disk.</summary>
    internal virtual void Apply(ChangeSite site)
    {
    }

    /// <summary>After an interruption: completes it if it was begun, and answers whether it is done. What was not begun is left.</summary>
    internal virtual bool Settle(ChangeSite site) => true;

    /// <summary>
    /// Flushes what a run that was killed may have written and not flushed: who finds it right does not write it again. Most changes are of
    /// names only.
    /// </summary>
    internal virtual void FlushBytes(ChangeSite site)
    {
    }

    /// <summary>Puts back what it changed, as changes of the undo. After an interruption it is called again.</summary>
    /// <exception cref="NotRestoredException">It cannot be put back.</exception>
    internal virtual void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
    }
}

/// <summary>Where a change is made.</summary>
/// <param name="Anchor">What all paths are relative to.</param>
/// <param name="Kept">The operation's folder, relative to the anchor.</param>
internal sealed record ChangeSite(Folder Anchor, string Kept)
{
    /// <summary>Where a change keeps what it replaces.</summary>
    public string At(Change change) => $"{Kept}/{FolderName}/{change.Number}";

    /// <summary>The folder of everything that the operation keeps.</summary>
    public string Files => $"{Kept}/{FolderName}";

    internal const string FolderName = "files";

    public Node? Look(string path) => Anchor.Look(path);
}

/// <summary>Something that an undo could not put back.</summary>
/// <param name="reason">Why, as the end of the sentence "PATH: ...".</param>
public sealed class NotRestoredException(string reason) : Exception(reason);
