using Mukta.Products;

namespace Mukta.Cases;

/// <summary>Proposes what to try for a complaint, in the best order. Pure.</summary>
/// <param name="model">What was learnt from other cases.</param>
/// <param name="seenOf">What was seen of a product, by its id.</param>
/// <param name="measured">What the machine has measured of its own.</param>
public sealed class CaseLadder(ChanceModel model, Func<string, SeenState> seenOf, MeasuredTimes measured)
{
    /// <summary>How long it takes to try the product after a rung, minutes.</summary>
    public const double TryingTheProduct = 1;

    private const double Unlisted = 0.05;

    /// <summary>The rungs of a code with those that have to come before them; all rungs if no code fits.</summary>
    /// <param name="profile">The product's profile.</param>
    /// <param name="code">The code; null if none fits.</param>
    /// <param name="countsLoss">False to let what loses something come earlier.</param>
    public IReadOnlyList<CaseRung> For(Profile profile, ComplaintCode? code, bool countsLoss = true)
    {
        var wanted = code is null ? [.. profile.Ladder.Select(r => r.Id)] : code.Rungs.Keys.ToHashSet(StringComparer.Ordinal);
        while (profile.Ladder.Where(r => wanted.Contains(r.Id)).SelectMany(r => r.After).Any(wanted.Add))
        {
            // Until nothing is added.
        }

        var rungs = profile.Ladder.Where(r => wanted.Contains(r.Id)).Select(rung => (Rung: rung, Case: new CaseRung(
            rung.Id, model.Of(profile.Product, code?.Code ?? "", rung, code?.Rungs.GetValueOrDefault(rung.Id, Unlisted) ?? Unlisted),
            Evidence.For(rung, seenOf(rung.Product ?? profile.Product)), Minutes(profile, rung) + TryingTheProduct))).ToList();
        var order = LadderOrder.Of([.. rungs.Select(r => new RatedRung(r.Rung, r.Case.Likely, r.Case.Minutes))], countsLoss);
        return [.. order.Select(o => rungs.First(r => r.Rung == o.Rung).Case)];
    }

    private double Minutes(Profile profile, Rung rung) =>
        RungCost.Minutes(rung, rung.Product is null || rung.Product == profile.Product, measured);
}
