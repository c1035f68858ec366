using Mukta.Cli.Commands;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Found installs as a technician reads them.</summary>
internal sealed class InstallsText(Session session, string options)
{
    private readonly IAnsiConsole console = session.Output;

    /// <summary>The verdict, then product by product, then the next command.</summary>
    /// <param name="located">What was found.</param>
    public void Write(IReadOnlyList<Located> located)
    {
        var (all, without) = (located.Sum(l => l.Installs.Count), located.Count(l => l.Installs.Count == 0));
        console.WriteLine(
            (all == 0 ? "No installs found." : $"{Units.Count(all, "install")} found.")
            + (all > 0 && without > 0 ? $" {Units.Count(without, "product has", "products have")} none." : ""));
        if (session.IsQuiet)
            return;
        foreach (var product in located)
        {
            console.MarkupLineInterpolated($"[bold]{product.Loaded.Profile.Product}[/]  {product.Loaded.Profile.Title}");
            if (product.Installs.Count == 0)
                console.MarkupLine("  [grey]no install found[/]");
            var width = Columns.Width(product.Installs.Select(i => i.Path));
            foreach (var install in product.Installs)
            {
                console.WriteLine(
                    $"  {PathBytes.Shown(install.Path).PadRight(width)}  "
                    + $"{(install.IsCurrent ? "current" : "stale")}{(install.IsRecorded ? ", recorded" : "")}  "
                    + $"{Evidence(product, install)}");
                if (product.Behind.TryGetValue(install.Path, out var gap))
                {
                    console.MarkupLineInterpolated(
                        $"  [yellow]behind:[/] {Version(gap.There)} is installed, {Version(gap.Newest)} is published");
                }
            }

            foreach (var (seen, advice) in PendingFindings.Sentences(product.Pending))
                console.MarkupLineInterpolated($"  [yellow]pending:[/] {PathBytes.Shown(seen)}\n  {PathBytes.Shown(advice)}");
            if (product.Fault is { } fault)
                console.MarkupLineInterpolated($"  [yellow]its files cannot be compared:[/] {fault}");
        }

        if (Next(located) is { } next)
            session.Next(next);
    }

    private string? Next(IReadOnlyList<Located> located)
    {
        if (located.FirstOrDefault(l => l.Installs.Any(i => i.IsSearched)) is { } searched)
        {
            var found = searched.Installs.First(i => i.IsSearched).Path;
            return $"mukta installs add {searched.Loaded.Profile.Product} {Shell.Quoted(found)}{options}";
        }

        if (located.FirstOrDefault(l => l.Behind.Count > 0) is { } behind && behind.Installs.Count(i => i.IsCurrent) == 1)
            return $"mukta repair {behind.Loaded.Profile.Product}{options} --dry-run";
        var known = located.Where(l => l.Manifests.Count > 0 && l.Installs.Count(i => i.IsCurrent) == 1).ToList();
        return (known.Find(l => l.Installs.Any(i => i.Evidence is { Share: < 1 })) ?? known.FirstOrDefault()) is { } first
            ? $"mukta verify {first.Loaded.Profile.Product}{options}" : null;
    }

    private static string Version(Manifests.ReleaseFacts release) => PathBytes.Shown(release.Release ?? release.Title);

    private static string Evidence(Located product, FoundInstall install)
    {
        var marker = install.HasMarker ? "" : $", without {product.Loaded.Profile.Installs.Marker}";
        if (install.Evidence is not { } evidence)
            return $"its manifest is not available{marker}";
        var release = install.Release is { } version ? $"{version}: " : "";
        return $"{release}{Units.Number(evidence.Present)} of {Units.Number(evidence.Listed)} names and sizes, "
            + $"{Units.Bytes(evidence.Bytes)}{marker}";
    }
}
