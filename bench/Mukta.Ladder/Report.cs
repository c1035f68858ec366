using System.Globalization;
using System.Text.RegularExpressions;
using ScottPlot;

namespace Mukta.Ladder;

/// <summary>Writes the results into docs/ladder.md, and draws them.</summary>
internal static partial class Report
{
    public static void Write(string text, Comparison drawn)
    {
        var (names, values) = (Comparison.Orders, drawn.Minutes);
        var docs = Path.Join(Root(), "docs");
        using (var plot = new Plot())
        {
            for (var i = 0; i < names.Count; i++)
            {
                var bar = plot.Add.Bar(i + 1, values[i].Mean, error: values[i].Half);
                bar.Bars[0].FillColor = Colors.SteelBlue;
                var label = string.Create(CultureInfo.InvariantCulture, $"{values[i].Mean:0.0}");
                var above = plot.Add.Text(label, i + 1, values[i].Mean + values[i].Half + 0.7);
                (above.LabelFontSize, above.LabelAlignment) = (16, Alignment.LowerCenter);
            }

            plot.Axes.Bottom.TickGenerator = new ScottPlot.TickGenerators.NumericManual([.. names.Select((_, i) => i + 1.0)], [.. names]);
            plot.Axes.Bottom.TickLabelStyle.FontSize = 14;
            plot.Axes.Left.Label.Text = "minutes until the product works";
            plot.Axes.Left.Label.Bold = false;
            plot.Axes.Left.TickLabelStyle.FontSize = 14;
            plot.Axes.Margins(bottom: 0, top: 0.15);
            plot.HideGrid();
            plot.SaveSvg(Path.Join(docs, "ladder.svg"), 1000, 500);
            plot.SavePng(Path.Join(docs, "ladder.png"), 1000, 500);
        }

        var page = Path.Join(docs, "ladder.md");
        File.WriteAllText(page, Results().Replace(File.ReadAllText(page), _ => $"<!-- results -->\n{text}\n<!-- end -->"));
    }

    private static string Root()
    {
        var folder = AppContext.BaseDirectory;
        while (!File.Exists(Path.Join(folder, "Mukta.slnx")))
            folder = Path.GetDirectoryName(folder.TrimEnd('/')) ?? throw new DirectoryNotFoundException("This runs from the repository.");
        return folder;
    }

    [GeneratedRegex("<!-- results -->.*<!-- end -->", RegexOptions.Singleline)]
    private static partial Regex Results();
}
