using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Operations;
using Mukta.Remedies;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>Shows a remedy's plan, asks, has it applied and says what came of it: the same for every remedy.</summary>
/// <param name="session">Where words go.</param>
/// <param name="product">The product.</param>
/// <param name="remedy">The remedy.</param>
internal sealed class RemedyRun(Session session, Product product, Remedy remedy)
{
    public bool IsDryRun { get; init; }

    public bool IsAgreed { get; init; }

    /// <summary>The command as the user has typed it, to go on with.</summary>
    public required string Typed { get; init; }

    /// <summary>What is said if there is nothing to do.</summary>
    public required string NothingToDo { get; init; }

    /// <summary>What is asked, with the thing in it.</summary>
    public required Func<RemedyPlan, string> Question { get; init; }

    /// <summary>What is said once it is done.</summary>
    public required Func<RemedyPlan, string> DoneText { get; init; }

    /// <summary>Asks for what a yes is not enough for; null if it is.</summary>
    public Func<CancellationToken, Task<bool>>? Confirm { get; init; }

    public async Task<ExitCode> ToEndAsync(CancellationToken cancel)
    {
        var plan = await remedy.PlanAsync(cancel).ConfigureAwait(false);
        var goesOn = remedy.IsInterrupted;
        if (!session.IsJson && !(session.IsQuiet && IsAgreed) && (plan.Steps.Count > 0 || goesOn))
            new RemedyText(session.Output).Plan(product.Profile.Title, remedy.Name, plan, goesOn);
        if (plan.IsEmpty && !goesOn)
            return End(ExitCode.Done, plan, null, NothingToDo);
        if (IsDryRun)
            return End(ExitCode.Done, plan, null, "Dry run: nothing was changed. Run it again without --dry-run to apply the plan.");
        await remedy.RefuseIfRunningAsync(plan, cancel).ConfigureAwait(false);
        if (!await IsConfirmedAsync(plan, cancel).ConfigureAwait(false))
            return End(ExitCode.Problems, plan, null, "Nothing was changed.");
        try
        {
            var operation = await remedy.ApplyAsync(plan, cancel).ConfigureAwait(false);
            return End(ExitCode.Done, plan, operation, $"{DoneText(plan)}\nUndo: mukta undo {operation}{product.OptionsForUndo}");
        }
        catch (MuktaException e) when (Operation.FindInterrupted(product.Machine.Home, remedy.Name, product.Profile.Product) is { } left)
        {
            if (left.WaitsFor is not null)
                WaitingOperations.Put(product.Machine.Home, new WaitingOperation(left.Header.Operation, Typed, SetupRunner.Boot));
            throw new MuktaException(e.Code, e.What, e.Where, $"{e.Next}\nGo on: {Typed}\nUndo: mukta undo {left.Header.Operation}{product.OptionsForUndo}", e);
        }
    }

    private async Task<bool> IsConfirmedAsync(RemedyPlan plan, CancellationToken cancel) =>
        Confirm is not null ? await Confirm(cancel).ConfigureAwait(false)
        : IsAgreed || await Rendering.Question.IsAnsweredYesAsync(session, Question(plan), cancel).ConfigureAwait(false);

    private ExitCode End(ExitCode code, RemedyPlan plan, string? operation, string line)
    {
        if (session.IsJson)
            Session.Write(RemedyDocument.Of(remedy.Name, product.Profile.Product, plan, IsDryRun, code, operation), Documents.Readable.RemedyDocument);
        else
            session.Output.WriteLine(line);
        return code;
    }
}
