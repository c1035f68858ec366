using Mukta.Cli.Json;
using Mukta.Reinstall;
using Mukta.Remedies;

namespace Mukta.Cli.Rendering;

/// <summary>Installs that are replaced, or made for the first time.</summary>
/// <param name="session">Where words go.</param>
/// <param name="product">The product.</param>
/// <param name="confirmed">The product's id as the user has typed it to agree that user data goes.</param>
internal sealed class ReinstallView(Session session, Product product, string? confirmed) : RemedyView<ReinstallPlan, ReinstallOutcome>
{
    private readonly ReinstallText text = new(session.Output);

    public override void Plan(ReinstallPlan plan, bool isResumed) => text.Plan(plan);

    public override string Question(ReinstallPlan plan) =>
        plan.Targets.Any(t => t.IsThere) ? $"Reinstall {Titles(plan)}?" : $"Install {Titles(plan)}?";

    public override void Outcome(ReinstallPlan plan, ReinstallOutcome outcome, bool isQuiet) => text.Outcome(outcome, isQuiet);

    public override string? Next(ReinstallPlan plan, ReinstallOutcome outcome) =>
        outcome.Targets.FirstOrDefault(t => !t.After.IsIntact) is { } bad
        ? $"mukta repair {bad.Target.Profile.Product}{product.OptionsForOthers}" : null;

    public override void NothingToDo(ReinstallPlan plan, bool isQuiet)
    {
        // There always is something.
    }

    public override void Write(ReinstallPlan plan, ReinstallOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new ReinstallDocument(product.Profile.Product, isDryRun, code, plan.Targets, plan.Wish) { Outcome = outcome }.Made(),
        Documents.Readable.ReinstallPart);

    public override Task<bool>? ConfirmAsync(ReinstallPlan plan, CancellationToken cancel)
    {
        var id = product.Profile.Product;
        if (!plan.Wish.DropsUserData || confirmed == id)
            return null;
        return confirmed is not null ? Task.FromResult(false)
            : Rendering.Question.IsTypedAsync(
            session, $"This removes the user data listed above. Type {id} to confirm:", id, $"--no-user-data --confirm {id}", cancel);
    }

    private static string Titles(ReinstallPlan plan) => string.Join(", ", plan.Targets.Select(t => t.Profile.Title).Distinct());
}
