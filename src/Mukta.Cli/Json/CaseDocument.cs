using Mukta.Cases;
using Mukta.Cli.Rendering;
using Mukta.Disk;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.case/1</c></summary>
internal sealed record CaseDocument(string Format, int ExitCode, CasePart Case)
{
    /// <summary>The rung to try now; missing if all were tried or the case is closed.</summary>
    public string? Next { get; init; }

    /// <summary>True if the machine was restarted since the last step.</summary>
    public bool WasRestarted { get; init; }

    /// <summary>What <c>case next</c> has done; missing for other words.</summary>
    public IReadOnlyList<CaseStepPart>? Steps { get; init; }
}

/// <summary>Something that <c>case next</c> has done for a rung.</summary>
internal sealed record CaseStepPart(string Rung)
{
    /// <summary>The command that it ran, or that is to be typed.</summary>
    public string? Command { get; init; }

    /// <summary>What a person has to do.</summary>
    public string? Instructions { get; init; }

    /// <summary>What the command printed with --json.</summary>
    public System.Text.Json.JsonElement? Document { get; init; }

    /// <summary>What a check found before and no longer finds.</summary>
    public IReadOnlyList<string>? Gone { get; init; }

    /// <summary>What a check still finds.</summary>
    public IReadOnlyList<string>? Left { get; init; }

    /// <summary>fixed, not-fixed, worse; missing if it is not known yet.</summary>
    public string? Result { get; init; }
}

/// <summary><c>mukta.case.list/1</c></summary>
internal sealed record CaseListDocument(string Format, int ExitCode, IReadOnlyList<CasePart> Cases);

/// <summary>A case.</summary>
internal sealed record CasePart(long Number, string Product, string? Install, string Code, string Means, DateTimeOffset Opened)
{
    public string? Symptom { get; init; }

    public string? Reference { get; init; }

    public DateTimeOffset? Closed { get; init; }

    public required IReadOnlyList<CaseRungPart> Rungs { get; init; }

    public required IReadOnlyList<CaseEventPart> Events { get; init; }

    /// <param name="one">The case.</param>
    /// <param name="product">Its product, for the commands; null to leave them out.</param>
    public static CasePart Of(CaseRecord one, Product? product) => new(
        one.Number, one.Product, one.Install, one.Code, one.Means, one.Opened)
    {
        Symptom = one.Symptom,
        Reference = one.Reference,
        Closed = one.Closed,
        Rungs = [.. one.Rungs.Select(r => CaseRungPart.Of(r, product))],
        Events = [.. one.Events.Select(e => new CaseEventPart(e.At, e.What))],
    };
}

/// <summary>A rung: chances are 0 to 1.</summary>
internal sealed record CaseRungPart(
    string Rung, double Minutes, double Chance, double Prior, double Tried, double Fixed, double Learnt, double Factor)
{
    /// <summary>What was seen that speaks for or against it.</summary>
    public string? Because { get; init; }

    public string? Command { get; init; }

    public string? Instructions { get; init; }

    /// <summary>fixed, not-fixed, worse, not-needed; missing if it was not tried.</summary>
    public string? Result { get; init; }

    /// <summary>When it was begun; missing if it was not.</summary>
    public DateTimeOffset? Begun { get; init; }

    /// <summary>When it was done; missing if it was not.</summary>
    public DateTimeOffset? Done { get; init; }

    /// <summary>The operation that did it.</summary>
    public string? Operation { get; init; }

    public static CaseRungPart Of(CaseRung rung, Product? product)
    {
        var known = product?.Profile.Ladder.FirstOrDefault(r => r.Id == rung.Id);
        return new CaseRungPart(
            rung.Id, rung.Minutes, rung.Likely, rung.Chance.Prior, rung.Chance.Tried, rung.Chance.Fixed, rung.Chance.Learnt,
            rung.Evidence.Factor)
        {
            Because = rung.Evidence.Because is { } because ? PathBytes.Shown(because) : null,
            Command = known is null ? null : RungWords.Command(known, product!),
            Instructions = known?.Instructions,
            Result = rung.Result is { } result ? CaseBook.NameOf(result) : null,
            Begun = rung.Begun,
            Done = rung.Done,
            Operation = rung.Operation,
        };
    }
}

/// <summary>Something that happened.</summary>
internal sealed record CaseEventPart(DateTimeOffset At, string What);
