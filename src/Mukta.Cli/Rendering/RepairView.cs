using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Remedies;
using Mukta.Repair;
using Mukta.Verification;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>An install that is repaired.</summary>
internal sealed class RepairView(Session session, InstallTarget target, SourceList sources, bool showAll)
    : RemedyView<PreparedRepair, RepairOutcome>
{
    private readonly RepairText text = new(session.Output, target.Path) { ShowAll = showAll };

    public override void Plan(PreparedRepair plan, bool isResumed) => text.Plan(plan.Plan, plan.Before, sources.Sources);

    public override string Question(PreparedRepair plan) => $"Repair {Units.Count(plan.Plan.Steps.Count, "file")}?";

    public override void Outcome(PreparedRepair plan, RepairOutcome outcome, bool isQuiet)
    {
        if (isQuiet)
            new VerifyText(session.Output, target.Path).Verdict(outcome.After, isQuiet);
        else
            text.Outcome(outcome);
    }

    public override string? Next(PreparedRepair plan, RepairOutcome outcome) =>
        outcome.After.IsIntact ? null : NextStep.After(outcome.After, target, straysCount: false);

    public override void NothingToDo(PreparedRepair plan, bool isQuiet)
    {
        if (isQuiet)
        {
            new VerifyText(session.Output, target.Path).Verdict(plan.Before, isQuiet);
            return;
        }

        new VerifyText(session.Output, target.Path).Write(plan.Before, NextStep.After(plan.Before, target, straysCount: false));
        if (plan.Before.IsIntact)
            session.Output.WriteLine("Nothing to repair.");
    }

    public override ExitCode CodeOfNothing(PreparedRepair plan) => plan.Before.IsIntact ? ExitCode.Done : ExitCode.Problems;

    public override void Write(PreparedRepair plan, RepairOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new RepairDocument
        {
            Install = PathBytes.Shown(target.Path),
            IsDryRun = isDryRun,
            ExitCode = (int)code,
            Plan = PlanPart.Of(plan.Plan),
            Operation = outcome?.Operation,
            KeptAt = outcome?.KeptAt,
            StepsDone = outcome?.StepsDone ?? 0,
            Sources =
            [.. (outcome?.Sources ?? []).Select(s => new SourcePart(s.Name, s.Bytes, s.BadPieces, s.Failures, s.IsDropped, s.HasChanged))],
            BytesElsewhere = outcome?.BytesElsewhere ?? 0,
            Causes =
            [.. (outcome?.Causes ?? []).Select(
            c => new CausePart(JsonNames.OfName(c.Cause.ToString()), c.Evidence, c.Advice, [.. c.Paths.Select(PathBytes.Shown)]))],
            Failures = [.. (outcome?.Failures ?? []).Select(f => new FailurePart(PathBytes.Shown(f.Path), f.Reason, (int)f.Code))],
            Before = DocumentOf(plan.Before),
            After = outcome is not null ? DocumentOf(outcome.After) : plan.IsEmpty ? DocumentOf(plan.Before) : null,
        },
        Documents.Readable.RepairDocument);

    private VerifyDocument DocumentOf(VerifyResult result) => VerifyDocument.Of(result, target.Path, straysCount: false, next: null);
}
