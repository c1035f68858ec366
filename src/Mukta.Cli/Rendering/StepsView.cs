using Mukta.Cli.Json;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A remedy whose plan is a list of plain steps.</summary>
/// <param name="session">Where words go.</param>
/// <param name="product">The product.</param>
/// <param name="name">The command.</param>
internal sealed class StepsView(Session session, Product product, string name) : RemedyView<RemedyPlan, RemedyOutcome>
{
    /// <summary>What is asked.</summary>
    public required Func<RemedyPlan, string> Asked { get; init; }

    /// <summary>What is said once it is done.</summary>
    public required Func<RemedyPlan, string> Verdict { get; init; }

    /// <summary>What is said if there is nothing to do.</summary>
    public required string Nothing { get; init; }

    /// <summary>Asks for what a yes is not enough for.</summary>
    public Func<CancellationToken, Task<bool>>? Confirmed { get; init; }

    public override void Plan(RemedyPlan plan, bool isResumed) =>
        new RemedyText(session.Output).Plan(product.Profile.Title, name, plan, isResumed);

    public override string Question(RemedyPlan plan) => Asked(plan);

    public override void Outcome(RemedyPlan plan, RemedyOutcome outcome, bool isQuiet) => session.Output.WriteLine(Verdict(plan));

    public override void NothingToDo(RemedyPlan plan, bool isQuiet)
    {
        if (plan.Steps.Count > 0 && !isQuiet)
            Plan(plan, isResumed: false);
        session.Output.WriteLine(Nothing);
    }

    public override void Write(RemedyPlan plan, RemedyOutcome? outcome, bool isDryRun, ExitCode code) =>
        Session.Write(
        RemedyDocument.Of(name, product.Profile.Product, plan, isDryRun, code, outcome?.Operation), Documents.Readable.RemedyDocument);

    public override Task<bool>? ConfirmAsync(RemedyPlan plan, CancellationToken cancel) => Confirmed?.Invoke(cancel);
}
