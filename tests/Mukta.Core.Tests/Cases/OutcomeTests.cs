using CsCheck;
using Mukta.Cases;
using Mukta.Host;
using Mukta.Products;
using Mukta.Tests;

namespace Mukta.Core.Tests.Cases;

public sealed class OutcomeTests : IDisposable
{
    private static readonly string[] Names = ["a", "PH-0142", "no-start", "x/y"];

    private static readonly Gen<RungOutcome> AnyOutcome =
        from day in Gen.Int[0, 20_000]
        from names in Gen.Int[0, 3].Select(i => Names[i]).Array[3]
        from act in Gen.Enum<RungAct>()
        from result in Gen.Int[0, 2].Select(i => (TriedResult)i)
        from id in Gen.Char["0123456789abcdef"].Array[32]
        from minutes in Gen.Int[-1, 50_000]
        select new RungOutcome(DateTimeOffset.UnixEpoch.AddDays(day), names[0], names[1], names[2], act, result)
        {
            Id = new string(id),
            Minutes = minutes < 0 ? null : minutes / 10.0,
        };

    private readonly Scratch scratch = new();

    [Fact]
    public void What_is_written_is_read_back() => AnyOutcome.List[0, 20].Sample(
        outcomes =>
        {
            var file = scratch.Write("out.jsonl", string.Concat(OutcomeLines.Of(outcomes).Select(l => l + "\n")));
            OutcomeLines.ReadFile(file).ShouldBe(outcomes);
        }, iter: 200, threads: 1);

    [Fact]
    public void The_same_import_counts_once_and_all_of_a_bad_one_is_refused()
    {
        var machine = new Machine("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));
        using var book = CaseBook.Open(machine, TimeProvider.System, "boot");
        var outcomes = Enumerable.Range(0, 5).Select(i => new RungOutcome(
            DateTimeOffset.UnixEpoch, "pier", "PH-1", "files", RungAct.Repair, i < 3 ? TriedResult.Fixed : TriedResult.NotFixed)
        {
            Id = i.ToString("x32", System.Globalization.CultureInfo.InvariantCulture),
            Minutes = i,
        }).ToList();
        var file = scratch.Write("out.jsonl", string.Concat(OutcomeLines.Of(outcomes).Select(l => l + "\n")));
        book.Import(OutcomeLines.ReadFile(file)).ShouldBe(5);
        book.Import(OutcomeLines.ReadFile(file)).ShouldBe(0);
        OutcomeTable.Of(book.Outcomes()).ShouldHaveSingleItem().ShouldSatisfyAllConditions(
            r => (r.Tried, r.Fixed, r.MedianMinutes).ShouldBe((5, 3, 2.0)));

        foreach (var bad in new[]
        {
            "{}", "[]", "nothing", "{\"format\":\"mukta.outcome/2\"}", Changed("\"fixed\"", "\"better\""), Changed("\"repair\"", "\"pray\""),
            Changed("\"PH-1\"", "\"two words\""), Changed("1970-01-01", "yesterday"), Changed("0000000", "oooo"), Changed(":0}", ":-1}"),
            Changed("\"files\"", "null"), new string('x', 5000),
        })
        {
            var failure = Should.Throw<MuktaException>(
                () => OutcomeLines.ReadFile(scratch.Write("bad.jsonl", OutcomeLines.Of(outcomes).Last() + "\n" + bad + "\n")), bad);
            failure.Where.ShouldEndWith("bad.jsonl, line 2");
        }

        string Changed(string from, string to)
        {
            var line = OutcomeLines.Of(outcomes).First();
            line.ShouldContain(from);
            return line.Replace(from, to, StringComparison.Ordinal);
        }
    }

    [Fact]
    public void The_interval_is_Wilsons()
    {
        // Values of the formula's own paper and of textbooks: 8 of 10 is 0.490 to 0.943; 0 of 10 is 0 to 0.278.
        Row(10, 8).Interval.ShouldSatisfyAllConditions(i => i.Low.ShouldBe(0.4902, 1e-4), i => i.High.ShouldBe(0.9433, 1e-4));
        Row(10, 0).Interval.ShouldSatisfyAllConditions(i => i.Low.ShouldBe(0, 1e-9), i => i.High.ShouldBe(0.2775, 1e-4));
        Gen.Select(Gen.Int[1, 500], Gen.Int[0, 500]).Where(g => g.Item2 <= g.Item1).Sample(g =>
        {
            var (row, other) = (Row(g.Item1, g.Item2), Row(g.Item1, g.Item1 - g.Item2));
            row.Interval.Low.ShouldBeInRange(0, row.Rate + 1e-12);
            row.Interval.High.ShouldBeInRange(row.Rate - 1e-12, 1);
            row.Interval.Low.ShouldBe(1 - other.Interval.High, 1e-9, "what does not help is counted alike");
        });

        static OutcomeRow Row(int tried, int helped) => new("p", "c", "r", tried, helped, 0);
    }

    public void Dispose() => scratch.Dispose();
}
