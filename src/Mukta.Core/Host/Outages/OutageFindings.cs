using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Outages;

/// <summary>What a vendor's own report means for a product. Pure.</summary>
public static class OutageFindings
{
    /// <summary>Draws findings from a report.</summary>
    /// <param name="url">Where it was read.</param>
    /// <param name="page">The report; null if it could not be read.</param>
    /// <param name="reason">Why not.</param>
    public static IEnumerable<CheckFinding> Of(Uri url, OutagePage? page, string? reason)
    {
        if (page is null)
        {
            yield return new CheckFinding(
                FindingKind.OutageUnknown, Verdict.Unknown, url.AbsoluteUri, $"the vendor's outage page says nothing: {reason}",
                Advice: $"open it in a browser: {url}");
            yield break;
        }

        var parts = page.Checks.Where(c => c.Health != ServiceHealth.Pass).ToList();
        foreach (var part in parts)
        {
            yield return Found(
                url, part.Health,
                $"{PathBytes.Shown(part.Name)} {(part.Health == ServiceHealth.Fail ? "is down" : "has trouble")}{Said(part.Output)}");
        }

        if (parts.Count == 0 && page.Health != ServiceHealth.Pass)
            yield return Found(url, page.Health, $"{(page.Health == ServiceHealth.Fail ? "an outage" : "trouble")}{Said(page.Note)}");
    }

    private static CheckFinding Found(Uri url, ServiceHealth health, string what) => health == ServiceHealth.Fail
        ? new CheckFinding(
        FindingKind.OutageReported, Verdict.Bad, url.AbsoluteUri, $"the vendor reports: {what}",
        Advice: "wait for the vendor; nothing on this machine can fix it")
        : new CheckFinding(
        FindingKind.OutageWarned, Verdict.Warning, url.AbsoluteUri, $"the vendor reports: {what}",
        Advice: "if everything else is ok, wait for the vendor");

    private static string Said(string? text) => text is null ? "" : $" ({PathBytes.Shown(text)})";
}
