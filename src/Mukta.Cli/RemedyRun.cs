using Mukta.Cli.Rendering;
using Mukta.Operations;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>
/// How a remedy reads: its plan, its question, and what came of it. What is the same for all is said by <see cref="RemedyRun{TPlan,
/// TOutcome}"/>.
/// </summary>
internal abstract class RemedyView<TPlan, TOutcome>
    where TPlan : class, IOperationPlan
    where TOutcome : class, IOperationOutcome
{
    /// <summary>The plan: what will be done, what it costs, what can be lost.</summary>
    public abstract void Plan(TPlan plan, bool isResumed);

    /// <summary>What is asked, with the thing in it.</summary>
    public abstract string Question(TPlan plan);

    /// <summary>What came of it; only the verdict if that is all that is wanted.</summary>
    public abstract void Outcome(TPlan plan, TOutcome outcome, bool isQuiet);

    /// <summary>The same as a JSON document, also for a plan that was not carried out.</summary>
    public abstract void Write(TPlan plan, TOutcome? outcome, bool isDryRun, ExitCode code);

    /// <summary>Says that there is nothing to do.</summary>
    public abstract void NothingToDo(TPlan plan, bool isQuiet);

    /// <summary>What the program answers if there is nothing to do.</summary>
    public virtual ExitCode CodeOfNothing(TPlan plan) => ExitCode.Done;

    /// <summary>The next command to type; null for none.</summary>
    public virtual string? Next(TPlan plan, TOutcome outcome) => null;

    /// <summary>Asks for what a yes is not enough for; null if it is.</summary>
    public virtual Task<bool>? ConfirmAsync(TPlan plan, CancellationToken cancel) => null;
}

/// <summary>
/// Has a remedy planned, shows the plan, asks, has it applied and says what came of it: the same for every command that acts.
/// </summary>
/// <param name="session">Where words go.</param>
/// <param name="remedy">The remedy.</param>
/// <param name="view">How it reads.</param>
internal sealed class RemedyRun<TPlan, TOutcome>(Session session, Remedy<TPlan, TOutcome> remedy, RemedyView<TPlan, TOutcome> view)
    where TPlan : class, IOperationPlan
    where TOutcome : class, IOperationOutcome
{
    private readonly WorkMeter meter = remedy.Tools.Meter;

    public bool IsDryRun { get; init; }

    public bool IsAgreed { get; init; }

    /// <summary>True to end the product's processes by request before.</summary>
    public bool StopsFirst { get; init; }

    public async Task<int> ToEndAsync(CancellationToken cancel)
    {
        var plan = await Progressing.ShowAsync(session, meter, () => remedy.PlanAsync(cancel)).ConfigureAwait(false);
        using var disposed = plan as IDisposable;
        var isResumed = remedy.IsInterrupted;
        if (plan.IsEmpty && !(isResumed && !IsDryRun))
            return Nothing(plan);
        if (!plan.IsEmpty && !session.IsJson && !(session.IsQuiet && IsAgreed))
            view.Plan(plan, isResumed);
        if (IsDryRun)
            return End(ExitCode.Done, plan, Session.DryRun);
        await remedy.ProveAsync(plan, StopsFirst, cancel).ConfigureAwait(false);
        if (!plan.IsEmpty && !await IsConfirmedAsync(plan, cancel).ConfigureAwait(false))
            return End(ExitCode.Problems, plan, "Nothing was changed.");
        session.KeepLog();
        if (StopsFirst)
            await StopAsync(plan, cancel).ConfigureAwait(false);
        var outcome = await ApplyAsync(plan, cancel).ConfigureAwait(false);
        OldOperations.PurgeIfWanted(session, remedy.Tools, cancel);
        return outcome is not null && (outcome.Operation is not null || !plan.IsEmpty) ? Done(plan, outcome) : Nothing(plan);
    }

    private async Task<TOutcome?> ApplyAsync(TPlan plan, CancellationToken cancel)
    {
        try
        {
            return await Progressing.ShowAsync(session, meter, () => remedy.ApplyAsync(plan, cancel)).ConfigureAwait(false);
        }
        catch (OperationStopped e)
        {
            string?[] lines =
                [e.Next, e.Situation, e.IsEnded ? null : $"Continue: {remedy.Tools.Typed}",
                $"Undo: mukta undo {e.Operation}{remedy.Tools.OptionsForUndo}"];
            throw new MuktaException(e.Code, e.What, e.Where, string.Join('\n', lines.OfType<string>()), e);
        }
    }

    private async Task<bool> IsConfirmedAsync(TPlan plan, CancellationToken cancel) =>
        view.ConfirmAsync(plan, cancel) is { } confirmation ? await confirmation.ConfigureAwait(false)
        : IsAgreed || await Question.IsAnsweredYesAsync(session, view.Question(plan), cancel).ConfigureAwait(false);

    private async Task StopAsync(TPlan plan, CancellationToken cancel)
    {
        foreach (var one in (await remedy.StopAsync(plan, cancel).ConfigureAwait(false)).Where(e => e.IsGone))
            session.Say($"stopped process {one.Process.Pid}, {Disk.PathBytes.Shown(one.Process.Name)}");
    }

    private int Done(TPlan plan, TOutcome outcome)
    {
        if (session.IsJson)
        {
            view.Write(plan, outcome, IsDryRun, outcome.Code);
            return (int)outcome.Code;
        }

        view.Outcome(plan, outcome, session.IsQuiet);
        if (!session.IsQuiet && outcome.Operation is { } operation)
            session.Output.WriteLine($"Undo: mukta undo {operation}{remedy.Tools.OptionsForUndo}");
        if (!session.IsQuiet && view.Next(plan, outcome) is { } next)
            session.Next(next);
        return (int)outcome.Code;
    }

    private int Nothing(TPlan plan)
    {
        if (session.IsJson)
            view.Write(plan, null, IsDryRun, view.CodeOfNothing(plan));
        else
            view.NothingToDo(plan, session.IsQuiet);
        return (int)view.CodeOfNothing(plan);
    }

    private int End(ExitCode code, TPlan plan, string line)
    {
        if (session.IsJson)
            view.Write(plan, null, IsDryRun, code);
        else
            session.Output.WriteLine(line);
        return (int)code;
    }
}
