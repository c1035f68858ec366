using Mukta.Host.Services;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>
/// One named action that puts findings right: it makes a plan, and applies it as an operation. Whatever a remedy does, nothing is touched
/// while the product runs, its installs are locked, an interrupted run is gone on with, and the end is written down: that is done here,
/// so that none can forget it.
/// </summary>
/// <param name="target">What it acts on.</param>
/// <param name="services">The machine's service manager.</param>
/// <param name="time">For dates and waits.</param>
public abstract class Remedy(RemedyTarget target, IServiceControl services, TimeProvider time)
{
    /// <summary>The command that it is.</summary>
    public abstract string Name { get; }

    /// <summary>Told of the operation and of each folder in which it keeps something.</summary>
    public Action<OperationHeader, string>? Begun { get; init; }

    /// <summary>Told what is being done, in a few words.</summary>
    public Action<string>? Doing { get; init; }

    /// <summary>What it acts on.</summary>
    protected RemedyTarget Target => target;

    /// <summary>The machine's service manager.</summary>
    protected IServiceControl Services => services;

    /// <summary>For dates and waits.</summary>
    protected TimeProvider Time => time;

    /// <summary>What is asked for, in words; the same command has to ask for the same after an interruption.</summary>
    protected virtual string Request => Name;

    /// <summary>What it would do. Nothing is touched.</summary>
    public abstract Task<RemedyPlan> PlanAsync(CancellationToken cancel);

    /// <summary>True if an interrupted run is there to go on with.</summary>
    public bool IsInterrupted => Operation.FindInterrupted(target.Machine.Home, Name, target.Profile.Product) is not null;

    /// <summary>Refuses while the product runs.</summary>
    /// <exception cref="Host.Processes.ProductRuns">It does.</exception>
    public async Task RefuseIfRunningAsync(RemedyPlan plan, CancellationToken cancel)
    {
        var stopped = plan.Steps.Where(s => s.Act == RemedyAct.StopService).Select(s => s.Subject).ToList();
        var states = stopped.Count == 0 ? [] : await services.StatesAsync(stopped, cancel).ConfigureAwait(false);
        target.RefuseIfRunning(plan.Steps.Where(s => s.Act == RemedyAct.SetAside).Select(s => s.Subject), states);
    }

    /// <summary>Carries out a plan, or goes on with it. Interrupted anywhere the same command goes on, and one undo brings everything back.</summary>
    /// <returns>The operation's id; null if there was nothing to do.</returns>
    /// <exception cref="MuktaException">Something cannot be done; what is done is written down.</exception>
    public async Task<string?> ApplyAsync(RemedyPlan plan, CancellationToken cancel)
    {
        if (plan.IsEmpty && !IsInterrupted)
            return null;
        await RefuseIfRunningAsync(plan, cancel).ConfigureAwait(false);
        using var locks = new InstallLocks(time);
        foreach (var install in target.Installs.Where(Directory.Exists))
            locks.Take(install);
        using var operation = Operation.Open(target.Machine.Home, OperationHeader.New(Name, target.Profile.Product, null, time), Request, Begun);
        await DoAsync(operation, plan, cancel).ConfigureAwait(false);
        operation.End();
        WaitingOperations.Forget(target.Machine.Home, operation.Header.Operation);
        return operation.Header.Operation;
    }

    /// <summary>Does what a plan says. Every step is safe to do again.</summary>
    protected abstract Task DoAsync(Operation operation, RemedyPlan plan, CancellationToken cancel);

    /// <summary>Moves what a step names to the kept files, if it is there.</summary>
    protected void SetAside(Operation operation, RemedyStep step)
    {
        ArgumentNullException.ThrowIfNull(operation);
        ArgumentNullException.ThrowIfNull(step);
        var (area, path) = operation.For(step.Subject);
        if (operation.Root.Look(path) is null)
            return;
        Doing?.Invoke($"setting aside {Disk.PathBytes.Shown(step.Subject)}");
        area.SetAside(path);
    }
}
