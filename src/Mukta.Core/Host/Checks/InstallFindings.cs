using Mukta.Disk;
using Mukta.Products;

namespace Mukta.Host.Checks;

/// <summary>The installs of a product, as far as they were looked at.</summary>
/// <param name="Found">All that were found.</param>
/// <param name="Chosen">The one that is looked at; null where there is none.</param>
/// <param name="IsNamed">True where the user chose it.</param>
/// <param name="ManifestFault">Why its manifest cannot be used; null where it can.</param>
public sealed record InstallFacts(IReadOnlyList<FoundInstall> Found, FoundInstall? Chosen, bool IsNamed, string? ManifestFault);

/// <summary>What is wrong with a product's installs, by names and sizes only. Pure.</summary>
public static class InstallFindings
{
    /// <summary>Draws findings from what was found.</summary>
    public static IEnumerable<CheckFinding> Of(Profile profile, InstallFacts facts)
    {
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
                FindingKind.InstallsSeveral, Verdict.Attention, profile.Product,
                $"there are {current.Count} installs, and the first was looked at: "
                + $"{string.Join(", ", current.Select(c => PathBytes.Shown(c.Path)))}", Advice: "choose one with --install");
        }

        foreach (var stale in facts.Found.Where(f => !f.IsCurrent))
        {
            yield return new CheckFinding(
                FindingKind.InstallStale, Verdict.Attention, stale.Path,
                $"an older release lies beside the current one: {PathBytes.Shown(stale.Path)}",
                Advice: "nothing starts it any more; it takes room");
        }

        if (chosen.Evidence is { } evidence && evidence.Present < evidence.Listed)
        {
            yield return new CheckFinding(
                FindingKind.FilesMissing, Verdict.Bad, chosen.Path,
                $"{Units.Number(evidence.Listed - evidence.Present)} of {Units.Count(evidence.Listed, "file")} are missing or of another "
                + $"size", Remedy.Verify);
        }

        if (facts.ManifestFault is { } fault)
        {
            yield return new CheckFinding(
                FindingKind.ManifestUnusable, Verdict.NotKnown, chosen.Path, $"its files cannot be compared: {fault}");
        }
    }
}
