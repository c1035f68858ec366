using Mukta.Cli.Commands;
using Mukta.Disk;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Found installs as a technician reads them.</summary>
internal sealed class LocateText(IAnsiConsole console, string? profiles)
{
    public void Write(IReadOnlyList<Located> located)
    {
        foreach (var product in located)
        {
            console.MarkupLineInterpolated($"[bold]{product.Shelved.Profile.Product}[/]  {product.Shelved.Profile.Title}");
            if (product.Installs.Count == 0)
                console.MarkupLine("  [grey]no install found[/]");
            var width = Columns.Width(product.Installs.Select(i => i.Path));
            foreach (var install in product.Installs)
                console.WriteLine($"  {PathBytes.Shown(install.Path).PadRight(width)}  {(install.IsCurrent ? "current" : "stale")}  {Evidence(product, install)}");
            if (product.Fault is { } fault)
                console.MarkupLineInterpolated($"  [yellow]its manifest cannot be used:[/] {fault.What} {PathBytes.Shown(fault.Where)}");
        }

        var next = located.Where(l => l.Manifest is not null && l.Installs.Count(i => i.IsCurrent) == 1).ToList();
        if ((next.Find(l => l.Installs.Any(i => i.Evidence is { Share: < 1 })) ?? next.FirstOrDefault()) is { } first)
            console.MarkupLineInterpolated($"\nNext: [bold]mukta verify {first.Shelved.Profile.Product}{(profiles is null ? "" : $" --profiles {Shell.Quoted(profiles)}")}[/]");
    }

    private static string Evidence(Located product, FoundInstall install)
    {
        var marker = install.HasMarker ? "" : $", without {product.Shelved.Profile.Installs.Marker}";
        if (install.Evidence is not { } evidence)
            return $"its manifest is not at hand{marker}";
        var release = product.Manifest?.Release is { } version ? $"{version}: " : "";
        return $"{release}{Units.Number(evidence.Present)} of {Units.Number(evidence.Listed)} names and sizes, {Units.Bytes(evidence.Bytes)}{marker}";
    }
}
