using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A run of the vendor's setup program.</summary>
internal sealed class SetupView(Session session, Product product) : RemedyView<SetupPlan, SetUpInstall>
{
    private readonly IAnsiConsole console = session.Output;

    public override void Plan(SetupPlan plan, bool isResumed)
    {
        var then = plan.Setup.Then;
        console.MarkupLineInterpolated($"[bold]{product.Profile.Title}[/], the vendor's {plan.Action} in {PathBytes.Shown(plan.Install)}");
        console.WriteLine(isResumed ? "  goes on after the restart: what it has set up is looked at"
            : $"  program    {plan.Setup.Program} {string.Join(' ', plan.How.Arguments.Select(Shell.Quoted))}, as published");
        console.WriteLine($"  time       at most {Units.Time(plan.How.TimeLimit)}, then it is ended");
        if (plan.Action != "remove")
        {
            var asked = then.Active.Select(u => $"{u} active").Concat(then.Files.Select(f => $"{f} there"))
                .DefaultIfEmpty("nothing is asked for");
            console.WriteLine($"  afterwards {string.Join(", ", asked)}");
        }

        console.WriteLine("  way back   services as they were; the rest is the vendor's to undo");
        console.WriteLine();
    }

    public override string Question(SetupPlan plan) => $"Run the vendor's {plan.Action} of {product.Profile.Title}?";

    public override void Outcome(SetupPlan plan, SetUpInstall outcome, bool isQuiet)
    {
        console.WriteLine(
            outcome.Setup is { } setup ? $"The vendor's {plan.Action} is done, in {Units.Time(setup.Elapsed)}, and its result was checked."
            : $"The vendor's {plan.Action} is done: its result was checked after the restart.");
        if (!isQuiet && outcome.After is { } after)
            new VerifyText(console, plan.Install).Verdict(after);
        foreach (var line in isQuiet ? [] : outcome.Setup?.LastLines ?? [])
            console.WriteLine($"  output: {line}");
    }

    public override string? Next(SetupPlan plan, SetUpInstall outcome) =>
        outcome.Code == ExitCode.Done ? null : $"mukta repair {product.Arguments}";

    public override void NothingToDo(SetupPlan plan, bool isQuiet)
    {
        // There always is something.
    }

    public override void Write(SetupPlan plan, SetUpInstall? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new SetupDocument("mukta.setup/1", product.Profile.Product, plan.Action, PathBytes.Shown(plan.Install))
        {
            Program = plan.Setup.Program,
            Arguments = plan.How.Arguments,
            LimitMs = (long)plan.How.TimeLimit.TotalMilliseconds,
            IsDryRun = isDryRun,
            ExitCode = (int)code,
            Operation = outcome?.Operation,
            ProgramExitCode = outcome?.Setup?.ExitCode,
            ElapsedMs = (long?)outcome?.Setup?.Elapsed.TotalMilliseconds,
            LastLines = outcome?.Setup?.LastLines,
            After = outcome?.After is { } after ? VerifyDocument.Of(after, plan.Install, straysCount: false, next: null) : null,
        },
        Documents.Readable.SetupDocument);
}
