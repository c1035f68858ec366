using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Older releases that are set aside.</summary>
internal sealed class SweepView(Session session) : RemedyView<SweepPlan, RemedyOutcome>
{
    public override void Plan(SweepPlan plan, bool isResumed)
    {
        foreach (var one in plan.Releases)
        {
            session.Output.WriteLine($"{one.Profile.Product}  {PathBytes.Shown(one.Path)}");
            session.Output.WriteLine(
                $"  {Units.Bytes(one.Size.Bytes)} in {Units.Count(one.Size.Files, "file")}; "
                + $"{(one.Blocked is { } why ? $"stays: it {why}" : "is set aside")}");
        }
    }

    public override string Question(SweepPlan plan) =>
        $"Set {Units.Count(plan.Going.Count, "older release")} aside ({Units.Bytes(plan.BytesKept)})?";

    public override void Outcome(SweepPlan plan, RemedyOutcome outcome, bool isQuiet) =>
        session.Output.WriteLine($"{Units.Count(plan.Going.Count, "older release")} set aside: {Units.Bytes(plan.BytesKept)}.");

    public override void NothingToDo(SweepPlan plan, bool isQuiet)
    {
        if (!isQuiet)
            Plan(plan, isResumed: false);
        session.Output.WriteLine(plan.Releases.Count == 0 ? "No older releases found." : "Nothing to set aside.");
    }

    public override void Write(SweepPlan plan, RemedyOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new StaleDocument(
            "mukta.installs.sweep/1", isDryRun, (int)code, outcome?.Operation,
            [.. plan.Releases.Select(
            s => new StalePart(s.Profile.Product, PathBytes.Shown(s.Path), s.Size.Bytes, s.Size.Files, s.Blocked))]),
        Documents.Readable.StaleDocument);
}
