using Mukta.Disk;
using Mukta.Host.Checks;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A checkup as a technician reads it: the verdict, what is bad, then warnings, then one line for the rest.</summary>
/// <param name="console">Where it goes.</param>
/// <param name="command">The command that puts a finding right; null for none.</param>
/// <param name="showAll">True to list the areas that are ok or skipped too.</param>
internal sealed class CheckText(IAnsiConsole console, Func<ProductCheck, CheckFinding, string?> command, bool showAll)
{
    private const int UsualWidth = 80, MostWidth = 120, MostAlike = 4, VerdictWidth = 7, AreaWidth = 9;

    public static string Name(Verdict verdict) => verdict.ToString().ToLowerInvariant();

    public static string Name(Area area) => area.ToString().ToLowerInvariant();

    /// <summary>The verdict on the product that was asked for, and on what it needs.</summary>
    public void Sum(IReadOnlyList<ProductCheck> products)
    {
        var findings = products.SelectMany(p => p.Areas).SelectMany(a => a.Findings).ToList();
        int Count(Verdict verdict) => findings.Count(f => f.Verdict == verdict);
        var (bad, warnings, unknown) = (Count(Verdict.Bad), Count(Verdict.Warning), Count(Verdict.Unknown));
        var counts = new[]
        {
            bad > 0 ? $"[red]{Units.Number(bad)} bad[/]" : null,
            warnings > 0 ? $"[yellow]{Units.Count(warnings, "warning")}[/]" : null,
            unknown > 0 ? $"{Units.Number(unknown)} unknown" : null,
        }.OfType<string>();
        var words = string.Join(", ", counts) is { Length: > 0 } some ? some : "[green]ok[/]";
        console.MarkupLine($"[bold]{Markup.Escape(products[0].Loaded.Profile.Title)}[/]: {words}");
    }

    /// <summary>Everything below the verdict.</summary>
    public void Write(IReadOnlyList<ProductCheck> products)
    {
        if (products[0].Install is { } install)
            console.WriteLine($"  {PathBytes.Shown(install)}");
        var width = products.Max(p => p.Loaded.Profile.Product.Length);
        var rows = products.SelectMany(p => p.Areas.SelectMany(a => a.Findings.Select(f => (Product: p, a.Area, Finding: f))))
            .Where(r => showAll || r.Finding.Verdict != Verdict.Ok).OrderByDescending(r => r.Finding.Verdict).ToList();
        var areaWidth = (showAll ? Enum.GetValues<Area>() : rows.Select(r => r.Area)).Select(a => Name(a).Length).Append(AreaWidth).Max();
        void Row(Verdict verdict, ProductCheck product, Area area, IEnumerable<string> seen)
        {
            var label = $"{product.Loaded.Profile.Product.PadRight(width)}  {Name(area).PadRight(areaWidth)}  ";
            console.Markup($"  [{Colour(verdict)}]{Name(verdict),-VerdictWidth}[/]  {Markup.Escape(label)}");
            var indent = 2 + VerdictWidth + 2 + label.Length;
            var lines = seen.SelectMany(l => Columns.Wrap(l, TextWidth - indent)).ToList();
            console.WriteLine(lines[0]);
            lines.Skip(1).ToList().ForEach(l => console.WriteLine(new string(' ', indent) + l));
        }

        foreach (var alike in rows.GroupBy(
            r => (r.Product, r.Area, r.Finding.Verdict, Do: command(r.Product, r.Finding) ?? r.Finding.Advice)))
        {
            var (product, area, verdict, toDo) = alike.Key;
            Row(verdict, product, area, Seen([.. alike.Select(r => r.Finding)], toDo));
        }

        var well = products
            .SelectMany(p => p.Areas.Where(a => a.Findings.All(f => f.Verdict == Verdict.Ok)).Select(a => (Product: p, Area: a)))
            .OrderByDescending(r => r.Area.Verdict).ToList();
        if (showAll)
        {
            well.Where(w => w.Area.Findings.Count == 0).ToList()
                .ForEach(r => Row(r.Area.Verdict, r.Product, r.Area.Area, [r.Area.Summary]));
        }

        if (!showAll && well.Count > 0)
        {
            var (ok, skipped) = (well.Count(r => r.Area.Verdict == Verdict.Ok), well.Count(r => r.Area.Verdict == Verdict.Skipped));
            console.WriteLine($"  {Others(ok, skipped)}");
        }
    }

    private static string Others(int ok, int skipped) =>
        $"{(ok > 0 ? $"{Units.Count(ok, "area")} ok" : "")}{(ok > 0 && skipped > 0 ? ", " : "")}{(skipped > 0 ? $"{skipped} skipped" : "")}"
        + "; --all lists them";

    private static string Colour(Verdict verdict) => verdict switch
    {
        Verdict.Ok => "green",
        Verdict.Warning => "yellow",
        Verdict.Bad => "red",
        _ => "grey",
    };

    /// <summary>The columns of a terminal; what goes elsewhere is not broken.</summary>
    private int TextWidth => !console.Profile.Out.IsTerminal ? int.MaxValue
        : Math.Min(Console.WindowWidth > 40 ? Console.WindowWidth : UsualWidth, MostWidth);

    /// <summary>What was seen, and below it, once, what to do.</summary>
    private static List<string> Seen(List<CheckFinding> findings, string? toDo)
    {
        var lines = findings.Take(MostAlike).Select(f => f.Seen).ToList();
        if (findings.Count > MostAlike)
            lines.Add($"and {Units.Number(findings.Count - MostAlike)} more like this");
        if (toDo is not null)
            lines.Add($"> {toDo}");
        return lines;
    }
}
