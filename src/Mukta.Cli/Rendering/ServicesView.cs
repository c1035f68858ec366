using Mukta.Cli.Json;
using Mukta.Host.Services;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Services that are brought to where they should be.</summary>
internal sealed class ServicesView(Session session, Product product, ServiceWish wish) : RemedyView<ServicesPlan, ServicesOutcome>
{
    private readonly ServiceText text = new(session.Output);

    public override void Plan(ServicesPlan plan, bool isResumed)
    {
        text.Write(product.Profile.Services, plan.Before);
        text.Plan(plan.Plan);
    }

    public override string Question(ServicesPlan plan) => wish switch
    {
        ServiceWish.Stop => $"Stop the services of {product.Profile.Title}?",
        ServiceWish.Restart => $"Restart the services of {product.Profile.Title}?",
        _ => $"Restore the services of {product.Profile.Title}?",
    };

    public override void Outcome(ServicesPlan plan, ServicesOutcome outcome, bool isQuiet)
    {
        if (!isQuiet)
            session.Output.WriteLine();
        session.Output.WriteLine(
            outcome.Code == ExitCode.Done ? wish == ServiceWish.Stop ? "Stopped." : "Running, and stayed up."
            : outcome.Services.Failure is { } failure ? $"{failure.What}\n  {failure.Where}\n{failure.Next}"
            : "Some services still differ from the profile.");
        if (!isQuiet)
            text.Write(product.Profile.Services, outcome.Services.After);
    }

    public override void NothingToDo(ServicesPlan plan, bool isQuiet)
    {
        if (!isQuiet)
            text.Write(product.Profile.Services, plan.Before);
        session.Output.WriteLine("Nothing to do.");
    }

    public override ExitCode CodeOfNothing(ServicesPlan plan) => wish == ServiceWish.Stop ? ExitCode.Done : CodeOf(product, plan.Before);

    public override void Write(ServicesPlan plan, ServicesOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new ServicesRunDocument(
            $"mukta.services.{wish.ToString().ToLowerInvariant()}/1", product.Profile.Product, isDryRun, (int)code,
            PartsOf(product, outcome?.Services.After ?? plan.Before))
        {
            Steps = [.. plan.Plan.Steps.Select(ServiceStepPart.Of)],
            StepsDone = outcome?.Services.Done.Count,
            Operation = outcome?.Operation,
            Failure = outcome?.Services.Failure is { } failure ? $"{failure.What} {failure.Where}" : null,
        },
        Documents.Readable.ServicesRunDocument);

    /// <summary>What the program answers for services as they are.</summary>
    public static ExitCode CodeOf(Product product, IReadOnlyList<ServiceState> states) =>
        product.Profile.Services.Zip(states).All(s => s.Second.IsAsExpected(s.First)) ? ExitCode.Done : ExitCode.Problems;

    public static IReadOnlyList<ServicePart> PartsOf(Product product, IReadOnlyList<ServiceState> states) =>
        [.. product.Profile.Services.Zip(states, ServicePart.Of)];
}
