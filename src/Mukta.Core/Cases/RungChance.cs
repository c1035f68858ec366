using Mukta.Products;

namespace Mukta.Cases;

/// <summary>The chance that a rung helps, and what it is made of.</summary>
/// <param name="Prior">The profile's chance, 0 to 1.</param>
/// <param name="Tried">How often the rung was tried for this code; older times count less.</param>
/// <param name="Fixed">How often it helped.</param>
/// <param name="Learnt">The chance with what was recorded, 0 to 1.</param>
public sealed record RungChance(double Prior, double Tried, double Fixed, double Learnt);

/// <summary>
/// Learns from recorded outcomes how likely a rung helps: the mean of a Beta distribution. It begins with the profile's chance, which
/// counts as much as <see cref="WeightOfProfile"/> outcomes, and with what the rung did for other codes of the product, and its remedy for
/// other products, which count for a few outcomes at most; then the outcomes for this very code are added. An outcome counts half as much
/// after <see cref="HalfLife"/>. Pure.
/// </summary>
/// <param name="outcomes">What was recorded.</param>
/// <param name="now">The time, UTC.</param>
public sealed class ChanceModel(IReadOnlyList<RungOutcome> outcomes, DateTimeOffset now)
{
    /// <summary>How many outcomes the profile's chance counts for.</summary>
    public const double WeightOfProfile = 4;

    /// <summary>How many outcomes the same rung for other codes counts for at most.</summary>
    public const double WeightOfProduct = 2;

    /// <summary>How many outcomes the same remedy for other products counts for at most.</summary>
    public const double WeightOfAll = 1;

    /// <summary>After this time an outcome counts half as much.</summary>
    public static readonly TimeSpan HalfLife = TimeSpan.FromDays(180);

    private readonly Dictionary<(string Product, string Code, string Rung), (double Tried, double Fixed)> byCode = Sum(
        outcomes, now, o => (o.Product, o.Code.ToUpperInvariant(), o.Rung));

    private readonly Dictionary<(string Product, string Rung), (double Tried, double Fixed)> byProduct =
        Sum(outcomes, now, o => (o.Product, o.Rung));

    private readonly Dictionary<RungAct, (double Tried, double Fixed)> byAct = Sum(outcomes, now, o => o.Act);

    private readonly Dictionary<(string Product, RungAct Act), (double Tried, double Fixed)> byProductAndAct =
        Sum(outcomes, now, o => (o.Product, o.Act));

    /// <summary>The chance that a rung helps with a code.</summary>
    /// <param name="product">The product that the complaint is about.</param>
    /// <param name="code">The code or symptom; empty for none.</param>
    /// <param name="rung">The rung.</param>
    /// <param name="prior">The profile's chance, 0 to 1.</param>
    public RungChance Of(string product, string code, Rung rung, double prior)
    {
        var own = byCode.GetValueOrDefault((product, code.ToUpperInvariant(), rung.Id));
        var ofProduct = Less(byProduct.GetValueOrDefault((product, rung.Id)), own);
        // What a person has to do is something else in each product.
        var ofOthers = rung.Act == RungAct.Operator ? default
            : Less(byAct.GetValueOrDefault(rung.Act), byProductAndAct.GetValueOrDefault((product, rung.Act)));
        var (tried, helped) = (WeightOfProfile, WeightOfProfile * prior);
        foreach (var (pool, most) in new[] { (ofProduct, WeightOfProduct), (ofOthers, WeightOfAll) })
        {
            var weight = Math.Min(pool.Tried, most);
            tried += weight;
            helped += pool.Tried > 0 ? weight * pool.Fixed / pool.Tried : 0;
        }

        return new RungChance(prior, own.Tried, own.Fixed, (helped + own.Fixed) / (tried + own.Tried));
    }

    private static (double Tried, double Fixed) Less((double Tried, double Fixed) all, (double Tried, double Fixed) some) =>
        (Math.Max(0, all.Tried - some.Tried), Math.Max(0, all.Fixed - some.Fixed));

    private static Dictionary<TKey, (double Tried, double Fixed)> Sum<TKey>(
        IReadOnlyList<RungOutcome> outcomes, DateTimeOffset now, Func<RungOutcome, TKey> keyOf)
        where TKey : notnull
    {
        var sums = new Dictionary<TKey, (double Tried, double Fixed)>();
        foreach (var outcome in outcomes)
        {
            var weight = Math.Pow(0.5, Math.Max(0, (now - outcome.At) / HalfLife));
            var sum = sums.GetValueOrDefault(keyOf(outcome));
            sums[keyOf(outcome)] = (sum.Tried + weight, sum.Fixed + (outcome.Result == TriedResult.Fixed ? weight : 0));
        }

        return sums;
    }
}
