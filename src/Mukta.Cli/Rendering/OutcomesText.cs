using System.Globalization;
using Mukta.Cases;
using Mukta.Disk;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>What has helped, as a table with bars.</summary>
/// <param name="console">Where it goes.</param>
internal sealed class OutcomesText(IAnsiConsole console)
{
    private const int BarLength = 20;

    /// <summary>Writes a table for each code of each product.</summary>
    public void Write(IReadOnlyList<OutcomeRow> rows)
    {
        var width = Math.Max(4, Columns.Width(rows.Select(r => r.Rung)));
        foreach (var group in rows.GroupBy(r => (r.Product, r.Code)))
        {
            console.WriteLine();
            var code = group.Key.Code.Length > 0 ? PathBytes.Shown(group.Key.Code) : "no code";
            console.MarkupLineInterpolated($"[bold]{PathBytes.Shown(group.Key.Product)}[/], {code}");
            console.WriteLine($"  {"rung".PadRight(width)}  tried  fixed  {"rate",5}  {"",BarLength}  {"95 % between",-14}  minutes");
            foreach (var row in group)
                console.WriteLine($"  {Row(row, width)}".TrimEnd());
        }
    }

    private static string Row(OutcomeRow row, int width)
    {
        var (low, high) = row.Interval;
        var minutes = row.MedianMinutes is { } median ? median.ToString(median < 10 ? "0.#" : "0", CultureInfo.InvariantCulture) : "?";
        return string.Create(
            CultureInfo.InvariantCulture,
            $"{PathBytes.Shown(row.Rung).PadRight(width)}  {row.Tried,5}  {row.Fixed,5}  {row.Rate * 100,3:0} %  {Bar(row.Rate)}  "
            + $"{$"{low * 100:0} and {high * 100:0} %",-14}  {minutes,7}  {(row.Worse > 0 ? $"{row.Worse} worse" : "")}");
    }

    private static string Bar(double rate)
    {
        var full = (int)Math.Round(rate * BarLength);
        return new string('█', full) + new string('·', BarLength - full);
    }
}
