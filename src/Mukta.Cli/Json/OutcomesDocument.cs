using Mukta.Cases;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.outcomes/1</c></summary>
internal sealed record OutcomesDocument(string Format, int ExitCode, IReadOnlyList<OutcomePart> Rungs)
{
    /// <summary>What was taken over; missing if nothing was to be.</summary>
    public ImportCount? Imported { get; init; }

    public static OutcomesDocument Of(IReadOnlyList<OutcomeRow> rows, ImportCount? imported) => new(
        "mukta.outcomes/1", 0,
        [.. rows.Select(r => new OutcomePart(
            r.Product, r.Code, r.Rung, r.Tried, r.Fixed, r.Worse, r.Rate, r.Interval.Low, r.Interval.High)
        {
            MedianMinutes = r.MedianMinutes,
        })])
    {
        Imported = imported,
    };
}

/// <summary>How often a rung has helped. Rates are 0 to 1; low and high are the ends of the 95 % interval.</summary>
internal sealed record OutcomePart(
    string Product, string Code, string Rung, int Tried, int Fixed, int Worse, double Rate, double Low, double High)
{
    public double? MedianMinutes { get; init; }
}

/// <summary>How many outcomes of others were taken over.</summary>
internal sealed record ImportCount(int Added, int Known);
