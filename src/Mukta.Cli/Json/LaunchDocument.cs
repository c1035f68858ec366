using Mukta.Disk;
using Mukta.Host.Launching;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.launch/1</c></summary>
internal sealed record LaunchDocument(
    string Format, string Product, string Install, bool DryRun, int ExitCode, IReadOnlyList<LaunchPart> Entries)
{
    public string? Operation { get; init; }
}

/// <summary>A launch entry.</summary>
internal sealed record LaunchPart(string Entry, bool IsAsExpected, string? Exec, string? Folder, IReadOnlyList<string> Findings)
{
    /// <summary>What it should read; missing where it is right, or is to go.</summary>
    public string? Restored { get; init; }

    /// <summary>True for an entry that the profile does not name and that starts what was removed.</summary>
    public bool? IsStale { get; init; }

    public static LaunchPart Of(LaunchEntry entry, string title)
    {
        var findings = LaunchFindings.Of([entry]).Select(f => f.Seen).ToList();
        return new LaunchPart(
            PathBytes.Shown(entry.Path), findings.Count == 0, entry.Entry?.Get("Exec"), entry.Entry?.Get("Path"), findings)
        {
            Restored = LaunchFindings.Restored(entry, title),
            IsStale = entry.Asked is null ? true : null,
        };
    }
}
