namespace Mukta.Cases;

/// <summary>How often a rung has helped with a code.</summary>
/// <param name="Product">The product that the complaints were about.</param>
/// <param name="Code">The code or symptom; empty for none.</param>
/// <param name="Rung">The rung.</param>
/// <param name="Tried">How often it was tried.</param>
/// <param name="Fixed">How often the product worked afterwards.</param>
/// <param name="Worse">How often it made it worse.</param>
public sealed record OutcomeRow(string Product, string Code, string Rung, int Tried, int Fixed, int Worse)
{
    // The 97.5 % point of the normal distribution: 95 % lie between it and its negative.
    private const double Z = 1.959963984540054;

    /// <summary>The median of how long it took, minutes; null if that is not known.</summary>
    public double? MedianMinutes { get; init; }

    /// <summary>The part of the times that it helped, 0 to 1.</summary>
    public double Rate => (double)Fixed / Tried;

    /// <summary>
    /// Where the rate lies with 95 % confidence, 0 to 1 (E. B. Wilson, "Probable inference, the law of succession, and statistical
    /// inference", Journal of the American Statistical Association 22, 1927).
    /// </summary>
    public (double Low, double High) Interval
    {
        get
        {
            var (n, p) = ((double)Tried, Rate);
            var middle = (p + (Z * Z / (2 * n))) / (1 + (Z * Z / n));
            var half = Z / (1 + (Z * Z / n)) * Math.Sqrt((p * (1 - p) / n) + (Z * Z / (4 * n * n)));
            return (Math.Max(0, middle - half), Math.Min(1, middle + half));
        }
    }
}

/// <summary>Counts outcomes by product, code and rung. Pure.</summary>
public static class OutcomeTable
{
    /// <summary>The rows: product by product, code by code, what helped most first.</summary>
    /// <param name="outcomes">What was recorded.</param>
    public static IReadOnlyList<OutcomeRow> Of(IEnumerable<RungOutcome> outcomes) =>
    [
        .. outcomes.Where(o => o.Result != TriedResult.NotNeeded)
        .GroupBy(o => (o.Product, Code: o.Code.ToUpperInvariant(), o.Rung)).Select(g => new OutcomeRow(
                g.Key.Product, g.First().Code, g.Key.Rung, g.Count(), g.Count(o => o.Result == TriedResult.Fixed),
                g.Count(o => o.Result == TriedResult.Worse))
            {
                MedianMinutes = Median([.. g.Select(o => o.Minutes).OfType<double>().Order()]),
            })
        .OrderBy(r => r.Product, StringComparer.Ordinal).ThenBy(r => r.Code, StringComparer.OrdinalIgnoreCase).ThenByDescending(r => r.Rate)
        .ThenByDescending(r => r.Tried).ThenBy(r => r.Rung, StringComparer.Ordinal),
    ];

    private static double? Median(double[] sorted) => sorted.Length == 0 ? null
        : (sorted[(sorted.Length - 1) / 2] + sorted[sorted.Length / 2]) / 2;
}
