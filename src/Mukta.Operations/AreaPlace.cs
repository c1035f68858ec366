using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>A place in which an operation keeps something.</summary>
/// <param name="Anchor">The folder that the journal's paths are relative to, and that holds <c>.mukta</c>.</param>
internal sealed record AreaPlace(Folder Anchor)
{
    /// <summary>The anchor's own path as the operation's callers name it; "" if their paths are relative to the same.</summary>
    public string Prefix { get; init; } = "";

    /// <summary>True if the anchor is closed with the area.</summary>
    public bool IsOwned { get; init; }

    /// <summary>True if an operation of root's belongs to root, and not to the owner of the folder it is in.</summary>
    public bool StaysRoots { get; init; }
}
