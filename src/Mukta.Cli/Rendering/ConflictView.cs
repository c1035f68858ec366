using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A program that is in a product's way and is stopped.</summary>
internal sealed class ConflictView(Session session, Product product) : RemedyView<StopConflictsPlan, StopConflictsOutcome>
{
    private string Title => product.Profile.Title;

    public override void Plan(StopConflictsPlan plan, bool isResumed)
    {
        var running = plan.Conflict!;
        var name = running.Conflict.Name;
        session.Output.WriteLine(
            plan.Later.Count == 0 ? $"1 program is in the way of {Title}."
            : $"{Units.Count(plan.Later.Count + 1, "program")} are in the way of {Title}. This stops the first; "
            + $"then {string.Join(", ", plan.Later)}.");
        foreach (var unit in running.Units)
            session.Output.MarkupLineInterpolated($"  [bold]{name}[/]  service {unit}");
        foreach (var process in running.Processes)
            session.Output.MarkupLineInterpolated($"  [bold]{name}[/]  process {process.Pid} of {process.OwnerInWords}");
        if (running.Conflict.Why is { } why)
            session.Output.WriteLine($"  {PathBytes.Shown(why)}");
    }

    public override string Question(StopConflictsPlan plan) => $"Stop {plan.Conflict!.Conflict.Name}?";

    public override void Outcome(StopConflictsPlan plan, StopConflictsOutcome outcome, bool isQuiet)
    {
        var name = plan.Conflict?.Conflict.Name ?? "The program";
        session.Output.WriteLine(
            outcome.Code == ExitCode.Done ? $"{name} is stopped. Try {Title} now. The undo starts {name} again."
            : $"{name} is still running.");
        foreach (var left in outcome.Left)
            session.Output.MarkupLineInterpolated($"  [red]left[/]  process {left.Process.Pid}: it {left.Reason}");
        if (outcome.Failure is { } failure)
            session.Output.WriteLine($"  {failure.What}\n  {failure.Next}");
    }

    public override string? Next(StopConflictsPlan plan, StopConflictsOutcome outcome) =>
        outcome.Code != ExitCode.Done ? $"mukta stop {product.Arguments} --conflicts --force"
        : plan.Later.Count > 0 ? $"mukta stop {product.Arguments} --conflicts" : null;

    public override void NothingToDo(StopConflictsPlan plan, bool isQuiet) => session.Output.WriteLine(
        product.Profile.Conflicts.Count == 0 ? $"The profile of {Title} names no conflicts."
        : $"Nothing that runs is in the way of {Title}.");

    public override void Write(StopConflictsPlan plan, StopConflictsOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new ConflictDocument("mukta.stop.conflicts/1", product.Profile.Product, isDryRun, (int)code, plan.Later)
        {
            Conflict = plan.Conflict?.Conflict.Name,
            Why = plan.Conflict?.Conflict.Why,
            Units = plan.Conflict?.Units ?? [],
            Processes = outcome is { Left.Count: > 0 } ? [.. outcome.Left.Select(ProcessPart.Of)]
                : [.. (plan.Conflict?.Processes ?? []).Select(ProcessPart.Of)],
            Operation = outcome?.Operation,
            Failure = outcome?.Failure?.What,
        },
        Documents.Readable.ConflictDocument);
}
