namespace Mukta.Cases;

/// <summary>A rung of a case: where it stands, and the numbers behind that.</summary>
/// <param name="Id">Its name in the profile.</param>
/// <param name="Chance">What the chance is made of.</param>
/// <param name="Evidence">How much what was seen speaks for it.</param>
/// <param name="Minutes">How long it is expected to take, with trying the product afterwards.</param>
/// <param name="Result">What came of it; null if it was not tried.</param>
public sealed record CaseRung(string Id, RungChance Chance, EvidenceWeight Evidence, double Minutes, TriedResult? Result = null)
{
    /// <summary>The chance that it helps, 0 to 1.</summary>
    public double Likely => Evidence.On(Chance.Learnt);

    /// <summary>When it was begun, UTC; null if it was not.</summary>
    public DateTimeOffset? Begun { get; init; }

    /// <summary>Between which two restarts of the machine it was begun.</summary>
    public string? Boot { get; init; }

    /// <summary>When it was done, UTC; null if it was not.</summary>
    public DateTimeOffset? Done { get; init; }

    /// <summary>The operation that did it; null for none.</summary>
    public string? Operation { get; init; }
}

/// <summary>Something that happened in a case.</summary>
/// <param name="At">When, UTC.</param>
/// <param name="Boot">Between which two restarts of the machine.</param>
/// <param name="What">What, in words.</param>
public sealed record CaseEvent(DateTimeOffset At, string Boot, string What);

/// <summary>A complaint that is worked on.</summary>
/// <param name="Product">The product.</param>
/// <param name="Install">Its install, as the machine names it; null if there is none.</param>
/// <param name="Code">The code or symptom of the profile; empty if none fits.</param>
/// <param name="Means">What the code means, or what people say.</param>
/// <param name="Rungs">What can be tried, in the best order.</param>
public sealed record CaseRecord(string Product, string? Install, string Code, string Means, IReadOnlyList<CaseRung> Rungs)
{
    /// <summary>Its number; 0 before it is kept.</summary>
    public long Number { get; init; }

    /// <summary>What people say.</summary>
    public string? Symptom { get; init; }

    /// <summary>The desk's own number for it.</summary>
    public string? Reference { get; init; }

    /// <summary>When it was opened, UTC.</summary>
    public DateTimeOffset Opened { get; init; }

    /// <summary>When it was closed, UTC; null if it is open.</summary>
    public DateTimeOffset? Closed { get; init; }

    /// <summary>What was seen when it was opened; null if that is not known.</summary>
    public CaseSnapshot? Snapshot { get; init; }

    /// <summary>What has happened, first thing first.</summary>
    public IReadOnlyList<CaseEvent> Events { get; init; } = [];

    /// <summary>How many rungs were tried; what was not needed was not.</summary>
    public int Tried => Rungs.Count(r => r.Result is TriedResult.Fixed or TriedResult.NotFixed or TriedResult.Worse);

    /// <summary>The rung to try; null if all were tried.</summary>
    public CaseRung? Next => Rungs.FirstOrDefault(r => r.Result is null);
}
