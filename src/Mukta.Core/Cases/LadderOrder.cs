using Mukta.Products;

namespace Mukta.Cases;

/// <summary>A rung with what is expected of it.</summary>
/// <param name="Rung">The rung.</param>
/// <param name="Chance">The chance that it helps, 0 to 1.</param>
/// <param name="Minutes">How long it takes, with trying the product afterwards; more than 0.</param>
public sealed record RatedRung(Rung Rung, double Chance, double Minutes);

/// <summary>
/// Puts rungs into the order in which the expected time until the product works is least. Without other conditions that is the order of
/// chance divided by time. Rungs that have to come before others stay before them: then the best group of rungs that can be tried next is
/// the one with the highest chance of the whole group divided by its expected time (Garey, "Optimal task sequencing with precedence
/// constraints", Discrete Mathematics 4, 1973); exactly if each rung comes after one other at most, nearly so otherwise. What loses
/// something comes after what does not, whatever the ratio. Pure.
/// </summary>
public static class LadderOrder
{
    /// <summary>The best order.</summary>
    /// <param name="rungs">The rungs, in the profile's order, which counts where two are equal.</param>
    /// <param name="countsLoss">False to let what loses something come earlier.</param>
    public static IReadOnlyList<RatedRung> Of(IReadOnlyList<RatedRung> rungs, bool countsLoss = true)
    {
        var left = rungs.ToList();
        var order = new List<RatedRung>();
        while (left.Count > 0)
        {
            var losses = left.ToDictionary(r => r, r => countsLoss ? Group(left, r).Max(g => g.Rung.Loses) : default);
            var least = left.Where(r => losses[r] == losses.Values.Min()).ToList();
            var groups = least.TrueForAll(r => Before(least, r).Take(2).Count() < 2)
                ? least.Where(r => !Before(least, r).Any()).Select(r => BestTree(least, r)) : least.Select(r => Group(least, r));
            var best = groups.DefaultIfEmpty([least[0]]).MaxBy(Ratio)!; // There is none where rungs go round in a circle.
            order.AddRange(best);
            left.RemoveAll(best.Contains);
        }

        return order;
    }

    /// <summary>The expected minutes until the product works or every rung was tried.</summary>
    public static double ExpectedMinutes(IEnumerable<RatedRung> order)
    {
        var (minutes, chance) = (0.0, 1.0);
        foreach (var rung in order)
        {
            minutes += chance * rung.Minutes;
            chance *= 1 - rung.Chance;
        }

        return minutes;
    }

    private static double Ratio(List<RatedRung> group) =>
        (1 - group.Aggregate(1.0, (left, r) => left * (1 - r.Chance))) / ExpectedMinutes(group);

    private static IEnumerable<RatedRung> Before(List<RatedRung> left, RatedRung rung) =>
        left.Where(r => r != rung && rung.Rung.After.Contains(r.Rung.Id));

    /// <summary>
    /// The best group that begins with a rung, if each rung has at most one before it: what comes after it joins while it is better than
    /// the group is so far.
    /// </summary>
    private static List<RatedRung> BestTree(List<RatedRung> left, RatedRung root)
    {
        var group = new List<RatedRung> { root };
        var next = After(root).Select(r => BestTree(left, r)).ToList();
        while (next.MaxBy(Ratio) is { } best && Ratio(best) > Ratio(group))
        {
            next.Remove(best);
            group.AddRange(best);
            next.AddRange(best.SelectMany(After).Except(best).Select(r => BestTree(left, r)));
        }

        return group;

        IEnumerable<RatedRung> After(RatedRung rung) => left.Where(r => r != rung && r.Rung.After.Contains(rung.Rung.Id));
    }

    /// <summary>A rung behind all that has to be tried before it.</summary>
    private static List<RatedRung> Group(List<RatedRung> left, RatedRung rung)
    {
        var group = new List<RatedRung>();
        var begun = new HashSet<string>(StringComparer.Ordinal);
        void Add(RatedRung next)
        {
            if (!begun.Add(next.Rung.Id))
                return;
            foreach (var before in Before(left, next).OrderByDescending(r => r.Chance / r.Minutes))
                Add(before);
            group.Add(next);
        }

        Add(rung);
        return group;
    }
}
