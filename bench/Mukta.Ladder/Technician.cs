using Mukta.Cases;

namespace Mukta.Ladder;

/// <summary>Works complaints, writes down what came of each rung, and orders the rungs in one of three ways.</summary>
internal sealed class Technician(World world)
{
    private const double WrittenDownWrongly = 0.05, TryingTheProduct = 1;
    private static readonly DateTimeOffset Begun = new(2026, 1, 1, 0, 0, 0, TimeSpan.Zero);

    private readonly List<RungOutcome> outcomes = [];
    private DateTimeOffset now = Begun;

    /// <summary>The profile's order.</summary>
    public IReadOnlyList<int> Written(Machine machine) => [.. world.Applicable[machine.Code].Order()];

    /// <summary>The order of one who knows the true chances.</summary>
    public IReadOnlyList<int> Knowing(Machine machine) => Ordered(machine, r => world.TrueChance[machine.Code][r]);

    /// <summary>Mukta's order, with what was recorded so far.</summary>
    public IReadOnlyList<int> Learning(Machine machine)
    {
        var model = new ChanceModel(outcomes, now);
        return Ordered(machine, r => model.Of(
            "invented", Code(machine), world.Ladder[r], world.Believed(machine.Code, r)).Learnt);
    }

    /// <summary>How long it takes until the machine works, or every rung was tried; minutes.</summary>
    public double Minutes(Machine machine, IReadOnlyList<int> order)
    {
        var (minutes, tried) = (0.0, new List<int>());
        foreach (var rung in order)
        {
            minutes += world.Ladder[rung].Minutes + TryingTheProduct;
            if (Attempt.Helps(world, machine, tried, rung))
                break;
            tried.Add(rung);
        }

        return minutes;
    }

    /// <summary>Works a complaint in Mukta's order, and records it.</summary>
    public void Work(Machine machine, Random random)
    {
        var tried = new List<int>();
        foreach (var rung in Learning(machine))
        {
            var helps = Attempt.Helps(world, machine, tried, rung);
            var written = random.NextDouble() < WrittenDownWrongly ? !helps : helps;
            outcomes.Add(new RungOutcome(
                now, "invented", Code(machine), $"r{rung}", world.Ladder[rung].Act, written ? TriedResult.Fixed : TriedResult.NotFixed));
            if (helps)
                break;
            tried.Add(rung);
        }

        now += TimeSpan.FromHours(8);
    }

    private static string Code(Machine machine) => $"C{machine.Code}";

    private IReadOnlyList<int> Ordered(Machine machine, Func<int, double> chanceOf)
    {
        var rated = world.Applicable[machine.Code].Order().Select(r => new RatedRung(
            world.Ladder[r], Evidence.For(world.Ladder[r], machine.Seen).On(Math.Clamp(chanceOf(r), 0.001, 0.99)),
            world.Ladder[r].Minutes + TryingTheProduct)).ToList();
        return [.. LadderOrder.Of(rated).Select(r => int.Parse(r.Rung.Id.AsSpan(1), System.Globalization.CultureInfo.InvariantCulture))];
    }
}
