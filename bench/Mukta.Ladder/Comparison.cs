using System.Globalization;

namespace Mukta.Ladder;

/// <summary>Works the same complaints in each order, in many invented worlds.</summary>
/// <param name="name">What is assumed.</param>
/// <param name="generosity">The share of rungs that can never help a code and are listed all the same, 0 to 1.</param>
internal sealed class Comparison(string name, double generosity)
{
    private const int Exams = 400;
    private const string Written = "written order", Knowing = "true chances known";
    private static readonly int[] Histories = [0, 50, 500];

    private readonly Dictionary<string, List<double>> minutes = [];
    private readonly List<double> fixable = [];

    /// <summary>The orders that are compared.</summary>
    public static IReadOnlyList<string> Orders { get; } =
        [Written, .. Histories.Select(h => h == 0 ? "Mukta, fresh" : $"Mukta, {h} cases"), Knowing];

    /// <summary>Mean minutes of each order, with the half width of the 95 % interval over worlds.</summary>
    public IReadOnlyList<(double Mean, double Half)> Minutes => [.. Orders.Select(o => Interval(minutes[o]))];

    /// <summary>The results as a table in Markdown.</summary>
    public string Text => string.Join(
        '\n', Orders.Select(Row).Prepend("|---|---|---|---|")
        .Prepend("| order | minutes | of the written order | of the true chances |").Prepend("").Prepend(string.Create(
            CultureInfo.InvariantCulture,
            $"If {name} ({fixable.Average():P0} of the machines can be fixed; fresh, the worst of {fixable.Count} worlds takes "
            + $"{Worst:0.00} of the written order):")));

    private double Worst => minutes[Orders[1]].Zip(minutes[Written], (a, b) => a / b).Max();

    /// <summary>Runs it.</summary>
    /// <param name="worlds">In so many worlds.</param>
    public void Run(int worlds)
    {
        foreach (var order in Orders)
            minutes[order] = [];
        for (var seed = 1; seed <= worlds; seed++)
        {
            var world = new World(seed, generosity);
            var (practice, exam) = (new Random(seed * 1000), new Random((seed * 1000) + 1));
            var all = Enumerable.Range(0, Exams).Select(_ => world.Next(exam)).ToList();
            // What no rung fixes takes the same in every order: the whole ladder.
            var machines = all.Where(m => Attempt.CanBeFixed(m, world.Applicable[m.Code])).ToList();
            fixable.Add((double)machines.Count / all.Count);
            var technician = new Technician(world);
            minutes[Written].Add(machines.Average(m => technician.Minutes(m, technician.Written(m))));
            minutes[Knowing].Add(machines.Average(m => technician.Minutes(m, technician.Knowing(m))));
            for (var done = 0; done <= Histories[^1]; done++)
            {
                if (Array.IndexOf(Histories, done) is >= 0 and var at)
                    minutes[Orders[at + 1]].Add(machines.Average(m => technician.Minutes(m, technician.Learning(m))));
                technician.Work(world.Next(practice), practice);
            }
        }
    }

    private string Row(string order)
    {
        var (mean, half) = Interval(minutes[order]);
        return string.Create(
            CultureInfo.InvariantCulture, $"| {order} | {mean:0.0} ± {half:0.0} | {Ratio(order, Written)} | {Ratio(order, Knowing)} |");
    }

    private string Ratio(string order, string to)
    {
        var (ratio, width) = Interval([.. minutes[order].Zip(minutes[to], (a, b) => a / b)]);
        return string.Create(CultureInfo.InvariantCulture, $"{ratio:0.00} ± {width:0.00}");
    }

    /// <summary>The mean with the half width of its 95 % interval over worlds, by the normal distribution.</summary>
    private static (double Mean, double Half) Interval(List<double> values)
    {
        var mean = values.Average();
        var deviation = Math.Sqrt(values.Sum(v => (v - mean) * (v - mean)) / Math.Max(1, values.Count - 1));
        return (mean, 1.96 * deviation / Math.Sqrt(values.Count));
    }
}
