using Mukta.Cli.Commands;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Found installs as a technician reads them.</summary>
internal sealed class LocateText(IAnsiConsole console, string? profiles)
{
    /// <summary>Everything.</summary>
    /// <param name="located">What was found.</param>
    /// <param name="forgotten">What was recorded and is no install any more; null where nothing was recorded.</param>
    /// <param name="record">The command that would remember what a search has found; null where there is nothing to remember.</param>
    public void Write(IReadOnlyList<Located> located, IReadOnlyList<string>? forgotten, string? record)
    {
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
            }

            foreach (var (seen, advice) in PendingFindings.Sentences(product.Pending))
                console.MarkupLineInterpolated($"  [yellow]pending:[/] {PathBytes.Shown(seen)}\n  {PathBytes.Shown(advice)}");
            if (product.Fault is { } fault)
                console.MarkupLineInterpolated($"  [yellow]its files cannot be compared:[/] {fault}");
        }

        foreach (var path in forgotten ?? [])
            console.WriteLine($"forgotten, since it is no install any more: {PathBytes.Shown(path)}");
        if (record is not null)
        {
            console.MarkupLineInterpolated($"\nNext: [bold]{record}[/]");
            return;
        }

        var next = located.Where(l => l.Manifests.Count > 0 && l.Installs.Count(i => i.IsCurrent) == 1).ToList();
        if ((next.Find(l => l.Installs.Any(i => i.Evidence is { Share: < 1 })) ?? next.FirstOrDefault()) is { } first)
        {
            var options = profiles is null ? "" : $" --profiles {Shell.Quoted(profiles)}";
            console.MarkupLineInterpolated($"\nNext: [bold]mukta verify {first.Loaded.Profile.Product}{options}[/]");
        }
    }

    private static string Evidence(Located product, FoundInstall install)
    {
        var marker = install.HasMarker ? "" : $", without {product.Loaded.Profile.Installs.Marker}";
        if (install.Evidence is not { } evidence)
            return $"its manifest is not at hand{marker}";
        var release = install.Release is { } version ? $"{version}: " : "";
        return $"{release}{Units.Number(evidence.Present)} of {Units.Number(evidence.Listed)} names and sizes, "
            + $"{Units.Bytes(evidence.Bytes)}{marker}";
    }
}
