using Mukta.Disk;
using Mukta.Repair;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.repair/1</c></summary>
internal sealed record RepairDocument
{
    public string Format { get; init; } = "mukta.repair/1";

    public required string Install { get; init; }

    public required bool IsDryRun { get; init; }

    public required int ExitCode { get; init; }

    public required PlanPart Plan { get; init; }

    public string? Operation { get; init; }

    public string? KeptAt { get; init; }

    public int StepsDone { get; init; }

    public IReadOnlyList<SourcePart> Sources { get; init; } = [];

    /// <summary>Bytes that were taken from elsewhere on this machine.</summary>
    public long BytesElsewhere { get; init; }

    public IReadOnlyList<CausePart> Causes { get; init; } = [];

    public IReadOnlyList<FailurePart> Failures { get; init; } = [];

    public required VerifyDocument Before { get; init; }

    public VerifyDocument? After { get; init; }
}

/// <summary>What is going to be done, and what it costs.</summary>
internal sealed record PlanPart(
    long BytesToFetch, long BytesElsewhere, long BytesReused, long BytesKept, long ExtraSpace, IReadOnlyList<StepPart> Steps,
    IReadOnlyList<FindingPart> LeftOpen)
{
    /// <summary>The release that is there, where the repair goes to another one.</summary>
    public ReleasePart? From { get; init; }

    public static PlanPart Of(RepairPlan plan) => new(
        plan.BytesToFetch, plan.BytesElsewhere, plan.BytesReused, plan.BytesKept, plan.ExtraSpace, [.. plan.Steps.Select(StepPart.Of)],
        [.. plan.LeftOpen.Select(FindingPart.Of)])
    {
        From = plan.Older is { } older ? ReleasePart.Of(older) : null,
    };
}

/// <summary>One step.</summary>
internal sealed record StepPart(string Act, string Path)
{
    public long? BytesToFetch { get; init; }

    public long? BytesReused { get; init; }

    public long? BytesElsewhere { get; init; }

    /// <summary>rebuild, share or patch.</summary>
    public string? Way { get; init; }

    public bool? IsFresh { get; init; }

    public bool? IsReplacing { get; init; }

    public string? From { get; init; }

    public string? Mode { get; init; }

    public string? Target { get; init; }

    public int? Files { get; init; }

    public long? Bytes { get; init; }

    public static StepPart Of(RepairStep step)
    {
        var path = PathBytes.Shown(step.Path);
        return step switch
        {
            PutFile p => new("put-file", path)
            {
                BytesToFetch = p.BytesToFetch,
                BytesElsewhere = p.BytesElsewhere,
                BytesReused = p.BytesReused,
                Way = p.Way.ToString().ToLowerInvariant(),
                IsFresh = p.IsFresh,
                IsReplacing = p.Replaces is not null,
            },
            PutLink p => new("put-link", path) { Target = p.Link.Target, IsReplacing = p.Holds },
            FixCase f => new("fix-case", path) { From = PathBytes.Shown(f.From), Mode = f.Mode is { } mode ? Units.Mode(mode) : null },
            FixMode f => new("fix-mode", path) { From = Units.Mode(f.From), Mode = Units.Mode(f.To) },
            HoldAway h => new(h.IsStray ? "set-aside-stray" : "set-aside-obstacle", path) { Files = h.Files, Bytes = h.Bytes },
            _ => throw new InvalidOperationException($"No words for {step.GetType().Name}."),
        };
    }
}

/// <summary>What a source has delivered.</summary>
internal sealed record SourcePart(string Name, long Bytes, int BadPieces, int Failures, bool IsDropped, bool IsChanged);

/// <summary>What damage looks like.</summary>
internal sealed record CausePart(string Cause, string Evidence, string Advice, IReadOnlyList<string> Paths);

/// <summary>What could not be repaired.</summary>
internal sealed record FailurePart(string Path, string Reason, int ExitCode);
