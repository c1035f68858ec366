using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(ProcessStopped), "process-stopped")]
[JsonDerivedType(typeof(ProcessStarted), "process-started")]
public abstract partial record Change;

/// <summary>A program is ended after this. An undo starts it again.</summary>
/// <param name="Program">The program's file.</param>
/// <param name="Arguments">Its arguments, the one before the first among them: how it was called.</param>
/// <param name="Folder">The folder that it worked in.</param>
/// <param name="Environment">What it has to know of its user's session, as <c>NAME=VALUE</c>.</param>
/// <param name="User">Its user's number.</param>
/// <param name="Group">Its group's number.</param>
public sealed record ProcessStopped(
    string Program, IReadOnlyList<string> Arguments, string Folder, IReadOnlyList<string> Environment, uint User, uint Group) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "start a program again";

    /// <inheritdoc/>
    protected override bool IsAboutPath => false;

    /// <inheritdoc/>
    protected override string About => Program;

    internal override bool IsSound => Path.IsPathRooted(Program) && Arguments.Count > 0 && Path.IsPathRooted(Folder);

    /// <summary>True if both are the same program, called in the same way by the same user.</summary>
    public bool IsSameAs(ProcessStopped other) =>
        Program == other.Program && User == other.User && Arguments.SequenceEqual(other.Arguments, StringComparer.Ordinal);

    /// <inheritdoc/>
    public bool Equals(ProcessStopped? other) => other is not null && base.Equals(other) && IsSameAs(other)
        && (Folder, Group) == (other.Folder, other.Group) && Environment.SequenceEqual(other.Environment, StringComparer.Ordinal);

    /// <inheritdoc/>
    public override int GetHashCode() => HashCode.Combine(base.GetHashCode(), Program, User, Arguments.Count);

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (system is null)
            throw new NotRestoredException("the record of it does not count here, so it was not started again");
        undo.Do(new ProcessStarted(Program));
        system.Start(this);
    }
}

/// <summary>An undo has started a program again. What runs is not ended by an undo of that undo.</summary>
/// <param name="Program">The program's file.</param>
public sealed record ProcessStarted(string Program) : Change;
