using Mukta.Disk;
using Mukta.Host.Checks;
using Spectre.Console;
using Spectre.Console.Rendering;

namespace Mukta.Cli.Rendering;

/// <summary>A checkup as a technician reads it: for each product a table of areas, and at the end what to type first.</summary>
internal sealed class CheckText(IAnsiConsole console, Func<ProductCheck, CheckFinding, string?> command)
{
    private const int UsualWidth = 80, MostAlike = 4;

    public static string Name(Verdict verdict) => verdict == Verdict.NotKnown ? "not known" : verdict.ToString().ToLowerInvariant();

    public static string Name(Area area) => area.ToString().ToLowerInvariant();

    public void Write(IReadOnlyList<ProductCheck> products)
    {
        foreach (var product in products)
        {
            var place = product.Install is { } install ? $", {PathBytes.Shown(install)}" : "";
            console.MarkupLineInterpolated($"[bold]{product.Loaded.Profile.Product}[/]  {product.Loaded.Profile.Title}{place}");
            console.Write(Table(product));
            console.WriteLine();
        }
    }

    /// <summary>One line that says it all.</summary>
    public void Sum(IReadOnlyList<ProductCheck> products)
    {
        var findings = products.SelectMany(p => p.Areas).SelectMany(a => a.Findings).ToList();
        int Count(Verdict verdict) => findings.Count(f => f.Verdict == verdict);
        var counts = new[]
        {
            (Count(Verdict.Bad), "bad"), (Count(Verdict.Attention), "to look at"), (Count(Verdict.NotKnown), "not known"),
        }.Where(c => c.Item1 > 0).Select(c => $"{Units.Number(c.Item1)} {c.Item2}");
        var words = string.Join(", ", counts) is { Length: > 0 } some ? some : "all good";
        console.MarkupLineInterpolated($"{products[0].Loaded.Profile.Title}: [bold]{words}[/]");
    }

    private Grid Table(ProductCheck product)
    {
        var table = new Grid();
        if (console.Profile.Out.IsTerminal)
            table.Width = Math.Min(Console.WindowWidth > 20 ? Console.WindowWidth : UsualWidth, 120) - 1;
        table.AddColumn(new GridColumn { Width = 9, Padding = new Padding(2, 0, 2, 0), NoWrap = true });
        table.AddColumn(new GridColumn { Width = 9, Padding = new Padding(0, 0, 2, 0), NoWrap = true });
        table.AddColumn(new GridColumn { Padding = new Padding(0, 0, 0, 0) });
        foreach (var area in product.Areas)
        {
            if (area.Findings.Count == 0)
            {
                Row(table, Name(area.Area), area.Verdict, [new Text(area.Summary)]);
                continue;
            }

            var name = Name(area.Area);
            foreach (var alike in area.Findings.GroupBy(f => (f.Verdict, Do: command(product, f) ?? f.Advice)))
            {
                Row(table, name, alike.Key.Verdict, [.. Cell([.. alike], alike.Key.Do, command(product, alike.First()) is not null)]);
                name = "";
            }
        }

        return table;
    }

    private static void Row(Grid table, string area, Verdict verdict, List<IRenderable> seen) => table.AddRow(
        new Text(area), new Text(Name(verdict), new Style(verdict switch
        {
            Verdict.Good => Color.Green,
            Verdict.Attention => Color.Yellow,
            Verdict.Bad => Color.Red,
            _ => Color.Grey,
        })), new Rows(seen));

    /// <summary>What was seen, and below it, once, what to do.</summary>
    private static IEnumerable<IRenderable> Cell(List<CheckFinding> findings, string? toDo, bool isCommand)
    {
        foreach (var finding in findings.Take(MostAlike))
            yield return new Text(finding.Seen);
        if (findings.Count > MostAlike)
            yield return new Text($"and {Units.Number(findings.Count - MostAlike)} more like that");
        if (toDo is not null)
            yield return new Text($"> {toDo}", new Style(decoration: isCommand ? Decoration.Bold : Decoration.None));
    }
}
