using Mukta.Disk;
using Mukta.Host.Shortcuts;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.shortcuts/1</c></summary>
internal sealed record ShortcutsDocument(int ExitCode, IReadOnlyList<ProductShortcutsPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; } = "mukta.shortcuts/1";
}

/// <summary>The shortcuts of a product.</summary>
internal sealed record ProductShortcutsPart(string Product, string Title, string? Install, IReadOnlyList<ShortcutPart> Shortcuts);

/// <summary><c>mukta.shortcuts.restore/1</c></summary>
internal sealed record ShortcutsRestoreDocument(
    string Format, string Product, string Install, bool IsDryRun, int ExitCode, IReadOnlyList<ShortcutPart> Shortcuts)
{
    public string? Operation { get; init; }
}

/// <summary>A shortcut.</summary>
internal sealed record ShortcutPart(string Entry, bool IsAsExpected, string? Exec, string? Folder, IReadOnlyList<string> Findings)
{
    /// <summary>What it should read; missing if it is right, or is to go.</summary>
    public string? Restored { get; init; }

    /// <summary>True for an entry that the profile does not name and that starts what was removed.</summary>
    public bool? IsStale { get; init; }

    public static ShortcutPart Of(Shortcut entry, string title)
    {
        var findings = ShortcutFindings.Of([entry]).Select(f => f.Seen).ToList();
        return new ShortcutPart(
            PathBytes.Shown(entry.Path), findings.Count == 0, entry.Entry?.Get("Exec"), entry.Entry?.Get("Path"), findings)
        {
            Restored = ShortcutFindings.Restored(entry, title),
            IsStale = entry.Asked is null ? true : null,
        };
    }
}
