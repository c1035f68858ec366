using Mukta.Disk;
using Mukta.Products;

namespace Mukta.Host.Checks;

/// <summary>The installs of a product, as far as they were checked.</summary>
/// <param name="Found">All that were found.</param>
/// <param name="Chosen">The one that is checked; null if there is none.</param>
/// <param name="IsNamed">True if the user chose it.</param>
/// <param name="ManifestFault">Why its manifest cannot be used; null if it can.</param>
public sealed record InstallFacts(IReadOnlyList<FoundInstall> Found, FoundInstall? Chosen, bool IsNamed, string? ManifestFault)
{
    /// <summary>When its manifest stopped being valid; null if it is valid.</summary>
    public DateTimeOffset? Expired { get; init; }

    /// <summary>The release that is there, where it is newer than its manifest's; null if it is not.</summary>
    public string? Newer { get; init; }

    /// <summary>Products that it needs and that no profile describes.</summary>
    public IReadOnlyList<string> NeedsWithoutProfile { get; init; } = [];
}

/// <summary>What is wrong with a product's installs, by names and sizes only. Pure.</summary>
public static class InstallFindings
{
    /// <summary>Draws findings from what was found.</summary>
    public static IEnumerable<CheckFinding> Of(Profile profile, InstallFacts facts)
    {
        foreach (var need in facts.NeedsWithoutProfile)
        {
            yield return new CheckFinding(
                FindingKind.NeedUnknown, Verdict.Unknown, need, $"it needs {need}, which has no profile and was not checked",
                Advice: $"add a profile of {need} to a folder of profiles");
        }

        var current = facts.Found.Where(f => f.IsCurrent).ToList();
        if (facts.Chosen is not { } chosen)
        {
            yield return new CheckFinding(
                FindingKind.InstallNotFound, Verdict.Bad, profile.Product,
                $"no install was found in {string.Join(", ", profile.Installs.Places.Select(p => p.Text))}", Remedy.Locate);
            yield break;
        }

        if (current.Count > 1 && !facts.IsNamed)
        {
            yield return new CheckFinding(
                FindingKind.InstallsSeveral, Verdict.Warning, profile.Product,
                $"{current.Count} installs found; checked the first: "
                + $"{string.Join(", ", current.Select(c => PathBytes.Shown(c.Path)))}", Advice: "choose one with --install");
        }

        foreach (var stale in facts.Found.Where(f => !f.IsCurrent))
        {
            yield return new CheckFinding(
                FindingKind.InstallStale, Verdict.Warning, stale.Path,
                $"an older release is beside the current one: {PathBytes.Shown(stale.Path)}", Remedy.Sweep);
        }

        if (chosen.Evidence is { } evidence && evidence.Listed - evidence.Present is > 0 and var missing)
        {
            yield return new CheckFinding(
                FindingKind.FilesMissing, Verdict.Bad, chosen.Path,
                $"{Units.Of(missing, evidence.Listed, "file")} {(missing == 1 ? "is" : "are")} missing or the wrong size", Remedy.Verify);
        }

        if (facts.Expired is { } expired)
        {
            yield return new CheckFinding(
                FindingKind.ManifestExpired, Verdict.Warning, profile.Product,
                $"its manifest expired on {expired.ToLocalTime():yyyy-MM-dd}",
                Advice: "get the current manifest from the publisher");
        }

        if (facts.Newer is { } newer)
        {
            yield return new CheckFinding(
                FindingKind.ManifestOlder, Verdict.Warning, chosen.Path,
                $"the last repair brought it to {PathBytes.Shown(newer)}, which is newer than its manifest",
                Advice: "get the current manifest from the publisher");
        }

        if (facts.ManifestFault is { } fault)
        {
            yield return new CheckFinding(
                FindingKind.ManifestUnusable, Verdict.Unknown, chosen.Path, $"its files cannot be compared: {fault}");
        }
    }
}
