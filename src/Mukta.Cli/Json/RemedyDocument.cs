using Mukta.Disk;
using Mukta.Remedies;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.reset/1</c>, <c>mukta.remove/1</c></summary>
internal sealed record RemedyDocument(string Format, string Product, bool IsDryRun, int ExitCode, IReadOnlyList<RemedyStepPart> Steps)
{
    /// <summary>The worst that can be lost until the operation is undone: nothing, settings, product, user-data.</summary>
    public required string Loss { get; init; }

    /// <summary>Bytes that are kept.</summary>
    public long BytesKept { get; init; }

    /// <summary>The operation; missing if nothing was done.</summary>
    public string? Operation { get; init; }

    public static RemedyDocument Of(string name, string product, RemedyPlan plan, bool isDryRun, ExitCode code, string? operation) =>
        new($"mukta.{name}/1", product, isDryRun, (int)code, [.. plan.Steps.Select(RemedyStepPart.Of)])
        {
            Loss = JsonNames.OfName(plan.Loss.ToString()),
            BytesKept = plan.BytesKept,
            Operation = operation,
        };
}

/// <summary>A step.</summary>
internal sealed record RemedyStepPart(string Act, string Subject, string Why, long Bytes, long Files)
{
    public static RemedyStepPart Of(RemedyStep step) =>
        new(JsonNames.OfName(step.Act.ToString()), PathBytes.Shown(step.Subject), step.Why, step.Bytes, step.Files);
}
