using System.Globalization;
using System.Text.Json;
using Mukta.Cases;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Core.Tests.Cases;

public class LadderPageTests
{
    [Fact]
    public void The_page_has_the_table_that_the_program_uses()
    {
        var page = File.ReadAllText(Path.Join(AppContext.BaseDirectory, "ladder.md"));
        var (from, to) = (page.IndexOf("<!-- evidence -->", StringComparison.Ordinal), page.IndexOf("<!-- end -->", StringComparison.Ordinal));
        page[(from + "<!-- evidence -->".Length)..to].Trim().Split('\n').Skip(2).ShouldBe(Rows);
    }

    private static IEnumerable<string> Rows => Evidence.Table
        .Select(r => $"| `{LadderReader.NameOf(r.Act)}` | {string.Join(", ", r.Findings.Select(f => $"`{Name(f)}`"))} | {Number(r.With)} | {Number(r.Without)} |")
        .Concat(Evidence.OfFiles.Select(f =>
            $"| `{LadderReader.NameOf(f.Key)}` | files damaged, or not | {Number(f.Value.Damaged)} | {Number(f.Value.Intact)} |"))
        .Append($"| `operator` | those under `gone` | {Number(Evidence.OfOperator.With)} | {Number(Evidence.OfOperator.Without)} |");

    private static string Name(FindingKind kind) => JsonNamingPolicy.KebabCaseLower.ConvertName(kind.ToString());

    private static string Number(double number) => number.ToString("0.##", CultureInfo.InvariantCulture);
}
