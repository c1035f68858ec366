using Mukta.Products;

namespace Mukta.Host.Shortcuts;

/// <summary>A shortcut as it is, beside what the profile asks for. All paths are as its own machine names them.</summary>
/// <param name="Path">The <c>.desktop</c> file, as seen from here.</param>
/// <param name="Asked">What the profile asks for; null for an entry that the profile does not name.</param>
/// <param name="Program">The program that it should start.</param>
/// <param name="Folder">The working folder that it should have; null for any.</param>
/// <param name="Entry">What it says; null if it is not there or cannot be read.</param>
/// <param name="Fault">Why it cannot be read; null if it is not there.</param>
public sealed record Shortcut(string Path, ShortcutExpectation? Asked, string Program, string? Folder, DesktopEntry? Entry, string? Fault)
{
    /// <summary>True if the fault is its place, so that nothing is written there.</summary>
    public bool IsBlocked { get; init; }

    /// <summary>True if the program that it starts is there.</summary>
    public bool ProgramIsThere { get; init; } = true;

    /// <summary>True if the working folder that it names is there.</summary>
    public bool FolderIsThere { get; init; } = true;
}
