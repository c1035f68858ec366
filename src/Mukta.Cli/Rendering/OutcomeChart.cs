using System.Globalization;
using Mukta.Cases;
using Mukta.Disk;
using ScottPlot;

namespace Mukta.Cli.Rendering;

/// <summary>Draws how often each rung has helped, with the intervals, as SVG or PNG.</summary>
internal static class OutcomeChart
{
    private static readonly double[] Percents = [0, 20, 40, 60, 80, 100];

    private const int Width = 1000, Around = 110, RowHeight = 34, MostRows = 60;

    /// <summary>True on a machine that has no font: a chart has no words there.</summary>
    public static bool LacksWords => !SkiaSharp.SKTypeface.Default.ContainsGlyphs("a");

    /// <summary>Refuses what cannot be drawn.</summary>
    /// <exception cref="MuktaException">The file is neither SVG nor PNG, or there are no rows, or too many.</exception>
    public static void Refuse(string file, IReadOnlyList<OutcomeRow> rows)
    {
        if (Path.GetExtension(file).ToLowerInvariant() is not (".svg" or ".png"))
        {
            throw new MuktaException(
                ExitCode.BadInput, "A chart is an SVG or a PNG file.", PathBytes.Shown(file), "Name it FILE.svg or FILE.png.");
        }

        if (rows.Count is 0 or > MostRows)
        {
            throw new MuktaException(
                ExitCode.BadInput, rows.Count == 0 ? "There are no outcomes to draw." : $"A chart has {MostRows} rungs at most.",
                PathBytes.Shown(file),
                rows.Count == 0 ? "Record some with: mukta case result" : "Choose some with --product and --code.");
        }
    }

    /// <summary>Draws them.</summary>
    public static void Write(string file, IReadOnlyList<OutcomeRow> rows)
    {
        using var plot = new Plot();
        for (var i = 0; i < rows.Count; i++)
        {
            var (low, high) = rows[i].Interval;
            plot.Add.Bar(new Bar
            {
                Position = -i,
                Value = rows[i].Rate * 100,
                FillColor = Colors.SteelBlue,
                Size = 0.6,
                Orientation = Orientation.Horizontal,
            });
            var line = plot.Add.Line(low * 100, -i, high * 100, -i);
            (line.LineWidth, line.LineColor, line.MarkerSize) = (2, Colors.Black, 6);
            line.MarkerShape = MarkerShape.VerticalBar;
            var label = plot.Add.Text($"{rows[i].Fixed} of {rows[i].Tried}", 102, -i);
            (label.LabelFontSize, label.LabelAlignment) = (14, Alignment.MiddleLeft);
        }

        plot.Axes.Left.TickGenerator = new ScottPlot.TickGenerators.NumericManual(
            [.. rows.Select((_, i) => (double)-i)],
            [.. rows.Select(r => $"{r.Product}{(r.Code.Length > 0 ? $", {r.Code}" : "")}: {r.Rung}")]);
        plot.Axes.Left.TickLabelStyle.FontSize = 14;
        plot.Axes.Left.MajorTickStyle.Length = 0;
        plot.Axes.Bottom.Label.Text = "how often the product worked afterwards, %, with the 95 % interval";
        plot.Axes.Bottom.Label.Bold = false;
        plot.Axes.Bottom.Label.FontSize = 14;
        plot.Axes.SetLimits(0, 115, -rows.Count + 0.4, 0.6);
        plot.Axes.Bottom.TickGenerator = new ScottPlot.TickGenerators.NumericManual(
            Percents, [.. Percents.Select(n => n.ToString(CultureInfo.InvariantCulture))]);
        plot.Axes.Bottom.TickLabelStyle.FontSize = 14;
        plot.HideGrid();
        var height = Around + (RowHeight * rows.Count);
        OutputFile.Write(file, Path.GetExtension(file).Equals(".png", StringComparison.OrdinalIgnoreCase)
            ? plot.GetImage(Width, height).GetImageBytes()
            : System.Text.Encoding.UTF8.GetBytes(plot.GetSvgXml(Width, height)));
    }
}
