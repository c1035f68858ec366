using Mukta.Products;

namespace Mukta.Cases;

/// <summary>What came of a rung.</summary>
public enum TriedResult
{
    /// <summary>The product works.</summary>
    Fixed,

    /// <summary>It does not work yet.</summary>
    NotFixed,

    /// <summary>It works less than before.</summary>
    Worse,

    /// <summary>There was nothing to do, so nothing was tried. It counts for nothing.</summary>
    NotNeeded,
}

/// <summary>A rung that was tried, and what came of it.</summary>
/// <param name="At">When, UTC.</param>
/// <param name="Product">The product that the complaint was about.</param>
/// <param name="Code">The code or symptom; empty for none.</param>
/// <param name="Rung">The rung, by its name in the profile.</param>
/// <param name="Act">What it does.</param>
/// <param name="Result">What came of it.</param>
public sealed record RungOutcome(DateTimeOffset At, string Product, string Code, string Rung, RungAct Act, TriedResult Result)
{
    /// <summary>32 hexadecimal digits that no other outcome has, on any machine; empty before it is kept.</summary>
    public string Id { get; init; } = "";

    /// <summary>How long it took, minutes; null if that is not known.</summary>
    public double? Minutes { get; init; }
}
