using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Moving;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>An install that moves.</summary>
internal sealed class MoveView(Session session, Product product) : RemedyView<MovePlan, MoveOutcome>
{
    public override void Plan(MovePlan plan, bool isResumed)
    {
        var console = session.Output;
        if (isResumed)
            console.WriteLine("Resuming an interrupted move. Finished steps are not repeated.");
        console.MarkupLineInterpolated($"[bold]{product.Profile.Title}[/] moves");
        console.WriteLine($"  from       {PathBytes.Shown(plan.From)}");
        console.WriteLine($"  to         {PathBytes.Shown(plan.To)}");
        console.WriteLine($"  how        {How(plan)}");
        foreach (var (inside, path) in plan.Inside)
            console.WriteLine($"  along      {inside}, which lies inside, in {PathBytes.Shown(path)}");
        if (product.Profile.Shortcuts.Count > 0)
        {
            console.WriteLine(
                $"  then       {Units.Count(product.Profile.Shortcuts.Count, "shortcut", "shortcuts")} and the record follow");
        }

        if (plan.Staying.Count > 0)
        {
            console.WriteLine(
                $"  stays      {Units.Bytes(plan.Staying.Sum(s => s.Size.Bytes))} of kept files of "
                + $"{Units.Count(plan.Staying.Count, "earlier operation")}, with the old install");
        }

        if (!plan.IsRename && !plan.Can.KeepsModes)
            console.WriteLine("  note       that disk keeps no permission bits");
        console.WriteLine(
            $"  lost       nothing{(plan.IsRename ? "" : ": the old install is kept until mukta operations purge frees it")}");
        console.WriteLine();
    }

    public override string Question(MovePlan plan) => $"Move {product.Profile.Title} ({Units.Bytes(plan.Size.Bytes)})?";

    public override void Outcome(MovePlan plan, MoveOutcome outcome, bool isQuiet)
    {
        session.Output.WriteLine($"Moved to {PathBytes.Shown(plan.To)}.");
        if (isQuiet)
            return;
        if (outcome.After is { } after)
            new VerifyText(session.Output, plan.To).Verdict(after);
        foreach (var path in outcome.LeftOut)
            session.Output.WriteLine($"  not copied  {PathBytes.Shown(path)}: a socket, pipe or device");
        if (outcome.Code == ExitCode.Problems)
            session.Output.WriteLine("It was not intact before either: every byte was compared with the old install's.");
        else if (product.Profile.Services.Count > 0)
            session.Output.WriteLine("Its services may still look for the old folder.");
    }

    public override string? Next(MovePlan plan, MoveOutcome outcome) =>
        outcome.Code == ExitCode.Problems
        ? $"mukta repair {product.Profile.Product} --install {Shell.Quoted(plan.To)}{product.OptionsForOthers}"
        : product.Profile.Services.Count == 0 ? null
        : product.Profile.Setup?.Actions.ContainsKey("repair") == true
        ? $"{Shell.Sudo}mukta setup repair {product.Profile.Product}{product.OptionsForOthers}"
        : $"mukta services {product.Profile.Product}{product.OptionsForOthers}";

    public override void NothingToDo(MovePlan plan, bool isQuiet)
    {
        // There always is something.
    }

    public override void Write(MovePlan plan, MoveOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new MoveDocument("mukta.move/1", product.Profile.Product, PathBytes.Shown(plan.From), PathBytes.Shown(plan.To), isDryRun, (int)code)
        {
            IsRename = plan.IsRename,
            Bytes = plan.Size.Bytes,
            Files = plan.Size.Files,
            OperationsStaying = [.. plan.Staying.Select(s => s.Id)],
            Operation = outcome?.Operation,
            LeftOut = [.. (outcome?.LeftOut ?? []).Select(PathBytes.Shown)],
            After = outcome?.After is { } after ? VerifyDocument.Of(after, plan.To, straysCount: false, next: null) : null,
        },
        Documents.Readable.MoveDocument);

    private static string How(MovePlan plan) => plan.IsRename ? "a rename within the same file system: nothing is copied"
        : $"copies {Units.Bytes(plan.Size.Bytes)} in {Units.Count(plan.Size.Files, "file")}, reads them back; the old is kept";
}
