using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.check/1</c></summary>
internal sealed record CheckDocument(
    string Format, string Product, string Verdict, int ExitCode, long ElapsedMs, IReadOnlyList<CheckedPart> Products)
{
    /// <summary>The command to type next; missing if there is nothing to do.</summary>
    public string? Next { get; init; }
}

/// <summary>A product that was checked.</summary>
internal sealed record CheckedPart(string Product, string Title, string? Install, string Verdict, IReadOnlyList<AreaPart> Areas)
{
    public static CheckedPart Of(ProductCheck check, Func<ProductCheck, CheckFinding, string?> command) => new(
        check.Loaded.Profile.Product, check.Loaded.Profile.Title, check.Install is { } install ? PathBytes.Shown(install) : null,
        JsonNames.OfJson(CheckText.Name(check.Verdict)),
        [.. check.Areas.Select(
        a => new AreaPart(CheckText.Name(
        a.Area), JsonNames.OfJson(CheckText.Name(a.Verdict)), a.Findings.Count == 0 ? a.Summary : null,
        [.. a.Findings.Select(f => CheckPart.Of(f, command(check, f)))]))]);
}

/// <summary>An area of a checkup.</summary>
internal sealed record AreaPart(string Area, string Verdict, string? Summary, IReadOnlyList<CheckPart> Findings);

/// <summary>A finding of a checkup.</summary>
internal sealed record CheckPart(string Kind, string Verdict, string Subject, string Seen, string? Command, string? Advice)
{
    public static CheckPart Of(CheckFinding finding, string? command) => new(
        JsonNames.OfName(finding.Kind.ToString()), JsonNames.OfJson(CheckText.Name(finding.Verdict)), PathBytes.Shown(finding.Subject),
        finding.Seen, command, finding.Advice);
}
