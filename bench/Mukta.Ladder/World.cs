using System.Globalization;
using Mukta.Cases;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Ladder;

/// <summary>A thing that can be wrong with a machine.</summary>
/// <param name="FixedBy">The rungs that fix it, by their places in the ladder, with the share of machines on which each does.</param>
internal sealed record Fault(IReadOnlyDictionary<int, double> FixedBy);

/// <summary>A machine with a complaint.</summary>
/// <param name="Code">The complaint, by its place.</param>
/// <param name="Fixes">For each of its faults, the rungs that fix it on this machine; none for a fault that no rung fixes.</param>
/// <param name="Seen">What a check and a verification of it report.</param>
internal sealed record Machine(
    int Code, IReadOnlyList<IReadOnlySet<int>> Fixes, SeenState Seen);

/// <summary>
/// Invented products, complaints and faults, all from a seed: which rungs fix which fault, how often a code comes from which fault, and
/// what the profile's author believes of it.
/// </summary>
internal sealed class World
{
    private const int Codes = 16, Faults = 24;
    private const double NoRungFixes = 0.05, SecondFault = 0.15, Noticed = 0.75, FalseAlarm = 0.05, WorksOnlyAfterAnother = 0.15;

    /// <summary>What can be tried, in the order in which practitioners work: from the reversible to the drastic.</summary>
    private static readonly (RungAct Act, double Minutes, RungLoss Loses)[] Kinds =
    [
        (RungAct.Stop, 1, RungLoss.Nothing), (RungAct.Operator, 8, RungLoss.Nothing), (RungAct.ClearCaches, 2, RungLoss.Nothing),
        (RungAct.SweepDownloads, 1, RungLoss.Nothing), (RungAct.RestoreServices, 1, RungLoss.Nothing),
        (RungAct.RestartServices, 2, RungLoss.Nothing), (RungAct.RestoreShortcuts, 1, RungLoss.Nothing),
        (RungAct.Operator, 12, RungLoss.Nothing), (RungAct.StopConflicts, 2, RungLoss.Nothing), (RungAct.Repair, 15, RungLoss.Nothing),
        (RungAct.Setup, 5, RungLoss.Nothing), (RungAct.Operator, 20, RungLoss.Nothing), (RungAct.SystemPackage, 6, RungLoss.Nothing),
        (RungAct.Move, 30, RungLoss.Nothing), (RungAct.Reset, 2, RungLoss.Settings), (RungAct.Reinstall, 40, RungLoss.Settings),
        (RungAct.RemoveAndInstall, 60, RungLoss.Settings),
    ];

    private readonly IReadOnlyList<Fault> faults;
    private readonly double[][] causes;
    private readonly double[] frequency;
    private readonly double[][] believed;

    public World(int seed, double generosity)
    {
        var random = new Random(seed);
        Ladder = [.. Kinds.Select((k, i) => new Rung(
            $"r{i}", k.Act, null, (int)Math.Max(1, Math.Round(k.Minutes * Math.Exp(Normal(random) * 0.4))))
        {
            Loses = k.Loses,
            // Some work only after another.
            After = i > 0 && random.NextDouble() < WorksOnlyAfterAnother ? [$"r{random.Next(i)}"] : [],
        })];
        faults = [.. Enumerable.Range(0, Faults).Select(_ => NewFault(random))];
        causes = [.. Enumerable.Range(0, Codes).Select(_ => Sparse(random, Faults, 3))];
        frequency = Sparse(random, Codes, Codes);
        TrueChance = [.. Enumerable.Range(0, Codes).Select(c => Chances(c, new Random(seed + 77)))];
        // The author knows roughly: the odds are off by a factor of about 3 either way.
        believed = [.. TrueChance.Select(ps => ps.Select(p => Rounded(Shifted(Math.Clamp(p, 0.02, 0.95), Normal(random)))).ToArray())];
        Applicable = [.. Enumerable.Range(0, Codes).Select(c => Enumerable.Range(0, Ladder.Count)
            .Where(r => TrueChance[c][r] > 0.004 || random.NextDouble() < generosity).SelectMany(r => Before(r).Append(r)).ToHashSet())];
    }

    /// <summary>All rungs, in the author's order.</summary>
    public IReadOnlyList<Rung> Ladder { get; }

    /// <summary>For each code and rung, the share of machines that the rung alone fixes.</summary>
    public double[][] TrueChance { get; }

    /// <summary>For each code, the rungs that the profile lists.</summary>
    public IReadOnlyList<IReadOnlySet<int>> Applicable { get; }

    /// <summary>The profile's chance of a rung for a code.</summary>
    public double Believed(int code, int rung) => believed[code][rung];

    /// <summary>A machine that somebody complains about.</summary>
    public Machine Next(Random random, int? ofCode = null)
    {
        var code = ofCode ?? Pick(random, frequency);
        var some = new List<Fault> { faults[Pick(random, causes[code])] };
        if (random.NextDouble() < SecondFault)
            some.Add(faults[random.Next(faults.Count)]);
        var fixes = some.Select(f => (IReadOnlySet<int>)(random.NextDouble() < NoRungFixes ? []
            : f.FixedBy.Where(r => random.NextDouble() < r.Value).Select(r => r.Key).ToHashSet())).ToList();
        return new Machine(code, fixes, Seen(fixes, random));
    }

    /// <summary>The rungs that have to be tried before one, first one first.</summary>
    public IReadOnlyList<int> Before(int rung) =>
        [.. Ladder[rung].After.Select(a => int.Parse(a.AsSpan(1), CultureInfo.InvariantCulture)).SelectMany(a => Before(a).Append(a))];

    private Fault NewFault(Random random)
    {
        // The drastic ones are the last resort, and no fault has only them.
        var gentle = Enumerable.Range(0, Ladder.Count)
            .Where(r => Ladder[r].Act is not (RungAct.Move or RungAct.Reinstall or RungAct.RemoveAndInstall)).ToList();
        var fixedBy = new Dictionary<int, double> { [gentle[random.Next(gentle.Count)]] = 0.8 + (0.19 * random.NextDouble()) };
        while (random.NextDouble() < 0.4)
            fixedBy.TryAdd(random.Next(Ladder.Count), 0.1 + (0.5 * random.NextDouble()));
        // The drastic ones fix most of what is wrong with the product itself, and nothing of what is wrong around it.
        var isInside = random.NextDouble() < 0.6;
        for (var i = 0; i < Ladder.Count; i++)
        {
            if (isInside && Ladder[i].Act is RungAct.Reinstall or RungAct.RemoveAndInstall)
                fixedBy.TryAdd(i, Ladder[i].Act == RungAct.Reinstall ? 0.6 : 0.8);
        }

        return new Fault(fixedBy);
    }

    /// <summary>What a check and a verification report: what a rung is for is seen where it helps, and sometimes elsewhere.</summary>
    private SeenState Seen(List<IReadOnlySet<int>> fixes, Random random)
    {
        bool IsNoticed(RungAct act)
        {
            var helps = fixes.Exists(f => f.Any(r => Ladder[r].Act == act));
            return random.NextDouble() < (helps ? Noticed : FalseAlarm);
        }

        var areas = Evidence.Table.GroupBy(r => r.Area).Select(rows => AreaResult.Of(
            rows.Key, rows.Where(r => IsNoticed(r.Act)).Select(r => new CheckFinding(r.Findings[0], Verdict.Bad, "x", "it was seen")), ""))
            .ToList();
        return new SeenState(new ProductCheck(Product, null, areas), IsNoticed(RungAct.Repair) ? FilesState.Damaged : FilesState.Intact);
    }

    private static LoadedProfile Product { get; } = new(
        ProfileReader.Read(
            new StringReader(
                "format: mukta.profile/1\nproduct: invented\ntitle: Invented\nkind: game\ninstalls: {places: [/games/invented]}\n"),
            "invented.yaml"),
        "invented.yaml");

    private double[] Chances(int code, Random random)
    {
        const int Samples = 4000;
        var helped = new double[Ladder.Count];
        for (var i = 0; i < Samples; i++)
        {
            var machine = Next(random, code);
            for (var rung = 0; rung < Ladder.Count; rung++)
                helped[rung] += Attempt.Helps(this, machine, Before(rung), rung) ? 1.0 / Samples : 0;
        }

        return helped;
    }

    private static double Rounded(double chance) => Math.Clamp(Math.Round(chance, 2), 0.01, 0.99);

    private static double Shifted(double chance, double by)
    {
        var odds = chance / (1 - chance) * Math.Exp(by);
        return odds / (1 + odds);
    }

    private static double[] Sparse(Random random, int count, int some)
    {
        var weights = new double[count];
        for (var i = 0; i < some; i++)
            weights[some == count ? i : random.Next(count)] += -Math.Log(1 - random.NextDouble());
        var sum = weights.Sum();
        return [.. weights.Select(w => w / sum)];
    }

    private static int Pick(Random random, double[] weights)
    {
        var at = random.NextDouble();
        for (var i = 0; i < weights.Length; i++)
        {
            if ((at -= weights[i]) < 0)
                return i;
        }

        return Array.FindLastIndex(weights, w => w > 0);
    }

    private static double Normal(Random random) =>
        Math.Sqrt(-2 * Math.Log(1 - random.NextDouble())) * Math.Cos(2 * Math.PI * random.NextDouble());
}

/// <summary>Tries rungs on a machine.</summary>
internal static class Attempt
{
    /// <summary>True if the machine works once all of these were tried.</summary>
    public static bool CanBeFixed(Machine machine, IReadOnlySet<int> rungs) => machine.Fixes.All(f => f.Overlaps(rungs));

    /// <summary>True if the machine works once these were tried and then this one.</summary>
    public static bool Helps(World world, Machine machine, IReadOnlyList<int> tried, int rung)
    {
        List<int> all = [.. tried, rung];
        return machine.Fixes.All(fixes => all.Where((r, i) => fixes.Contains(r) && world.Before(r).All(all.Take(i).Contains)).Any());
    }
}
