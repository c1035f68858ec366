using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Host.Services;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>What a plan is about to touch: nobody may use it meanwhile.</summary>
/// <param name="Guard">Knows who uses it.</param>
/// <param name="Paths">Files and folders, there or not.</param>
/// <param name="Units">Services whose own processes do not count.</param>
public sealed record TouchedPlaces(RunningGuard Guard, IReadOnlyList<string> Paths, IReadOnlyList<string> Units);

/// <summary>
/// One named action that puts findings right: it makes a plan, proves what the plan depends on, and applies it as an operation that can be
/// killed anywhere, gone on with by the same command, and undone. That nothing is touched while the product runs is seen to here, so that
/// no remedy can forget it: each has to say what it touches.
/// </summary>
/// <param name="tools">What it works with.</param>
/// <typeparam name="TPlan">Its plan.</typeparam>
/// <typeparam name="TOutcome">What came of it.</typeparam>
public abstract class Remedy<TPlan, TOutcome>(OperationTools tools)
    where TPlan : class, IOperationPlan
    where TOutcome : class, IOperationOutcome
{
    /// <summary>The command that it is.</summary>
    public abstract string Name { get; }

    /// <summary>True if an interrupted run is there to go on with.</summary>
    public abstract bool IsInterrupted { get; }

    /// <summary>What it works with.</summary>
    public OperationTools Tools => tools;

    /// <summary>What it would do. Nothing is touched.</summary>
    /// <exception cref="MuktaException">It cannot be done.</exception>
    public abstract Task<TPlan> PlanAsync(CancellationToken cancel);

    /// <summary>
    /// Proves what a plan depends on, before anybody is asked: that nobody uses what is touched, and whatever else the remedy needs.
    /// </summary>
    /// <param name="plan">The plan.</param>
    /// <param name="stopsFirst">True if whoever uses it is asked to end before the plan is applied.</param>
    /// <param name="cancel">Ends it.</param>
    /// <exception cref="MuktaException">Something is missing; nothing was touched.</exception>
    public async Task ProveAsync(TPlan plan, bool stopsFirst, CancellationToken cancel)
    {
        if (!stopsFirst)
            await RefuseIfRunningAsync(plan, cancel).ConfigureAwait(false);
        await ProveOwnAsync(plan, cancel).ConfigureAwait(false);
    }

    /// <summary>Ends by request the processes that use what a plan touches.</summary>
    public async Task<IReadOnlyList<EndedProcess>> StopAsync(TPlan plan, CancellationToken cancel)
    {
        var ended = new List<EndedProcess>();
        foreach (var touched in Touched(plan))
        {
            ended.AddRange(
                await touched.Guard.EndAsync(
                touched.Paths, await StatesAsync(touched, cancel).ConfigureAwait(false), tools.Time, cancel).ConfigureAwait(false));
        }

        return ended;
    }

    /// <summary>Carries out a plan, or goes on with it.</summary>
    /// <returns>What came of it; null if there was nothing to do.</returns>
    /// <exception cref="OperationStopped">A step has failed; the same command goes on with it.</exception>
    /// <exception cref="MuktaException">It cannot be done; nothing was touched.</exception>
    public async Task<TOutcome?> ApplyAsync(TPlan plan, CancellationToken cancel)
    {
        if (plan.IsEmpty && !IsInterrupted)
            return null;
        await RefuseIfRunningAsync(plan, cancel).ConfigureAwait(false);
        return await DoAsync(plan, cancel).ConfigureAwait(false);
    }

    /// <summary>What a plan touches. Empty only for a remedy that acts on what runs.</summary>
    protected abstract IEnumerable<TouchedPlaces> Touched(TPlan plan);

    /// <summary>Proves what else a plan depends on.</summary>
    protected virtual Task ProveOwnAsync(TPlan plan, CancellationToken cancel) => Task.CompletedTask;

    /// <summary>Does what a plan says. Every step is safe to do again.</summary>
    protected abstract Task<TOutcome> DoAsync(TPlan plan, CancellationToken cancel);

    private async Task RefuseIfRunningAsync(TPlan plan, CancellationToken cancel)
    {
        foreach (var touched in Touched(plan))
            touched.Guard.Refuse(touched.Paths, await StatesAsync(touched, cancel).ConfigureAwait(false));
    }

    private async Task<IReadOnlyList<ServiceState>> StatesAsync(TouchedPlaces touched, CancellationToken cancel) =>
        touched.Units.Count == 0 ? [] : await tools.Services.StatesAsync(touched.Units, cancel).ConfigureAwait(false);
}

/// <summary>A remedy whose operation is not inside of one install: its journal is in Mukta's folder for state.</summary>
/// <param name="machine">The machine.</param>
/// <param name="product">The product; null for several.</param>
/// <param name="tools">What it works with.</param>
/// <typeparam name="TPlan">Its plan.</typeparam>
/// <typeparam name="TOutcome">What came of it.</typeparam>
public abstract class OperationRemedy<TPlan, TOutcome>(Machine machine, string? product, OperationTools tools)
    : Remedy<TPlan, TOutcome>(tools)
    where TPlan : class, IOperationPlan
    where TOutcome : class, IOperationOutcome
{
    /// <inheritdoc/>
    public override bool IsInterrupted => Operation.FindInterrupted(machine.Home, Name, product) is not null;

    /// <summary>The machine.</summary>
    protected Machine Machine => machine;

    /// <summary>What is asked for, in words; the same command has to ask for the same after an interruption.</summary>
    protected virtual string RequestOf(TPlan plan) => Name;

    /// <summary>The release that it is about; null for none.</summary>
    protected virtual string? ReleaseOf(TPlan plan) => null;

    /// <summary>The installs that it works on: nobody else may, meanwhile.</summary>
    protected virtual IReadOnlyList<string> InstallsOf(TPlan plan) => [];

    /// <inheritdoc/>
    protected sealed override async Task<TOutcome> DoAsync(TPlan plan, CancellationToken cancel)
    {
        using var locks = new InstallLocks(Tools.Time);
        foreach (var install in InstallsOf(plan).Where(Directory.Exists))
            locks.Take(install);
        using var operation = Operation.Open(
            machine.Home, OperationHeader.New(Name, product, ReleaseOf(plan), Tools.Time), RequestOf(plan), Tools.Begun);
        try
        {
            var outcome = await DoAsync(operation, locks, plan, cancel).ConfigureAwait(false);
            EndWith(operation, outcome, cancel);
            WaitingOperations.Forget(machine.Home, operation.Header.Operation);
            return outcome;
        }
        catch (Exception e)
        {
            if (operation.IsWaiting)
                WaitingOperations.Put(machine.Home, new WaitingOperation(operation.Header.Operation, Tools.Typed, Setup.SetupRunner.Boot));
            if (OperationStopped.AsMuktaException(e, InstallsOf(plan) is [var first, ..] ? first : Name) is { } told)
                throw Stopped(operation, plan, told);
            throw;
        }
    }

    /// <summary>Does what a plan says. Every step is safe to do again.</summary>
    /// <param name="operation">The operation.</param>
    /// <param name="locks">Those of the installs; one that is made on the way is locked too before it comes to its place.</param>
    /// <param name="plan">The plan.</param>
    /// <param name="cancel">Interrupts.</param>
    protected abstract Task<TOutcome> DoAsync(Operation operation, InstallLocks locks, TPlan plan, CancellationToken cancel);

    /// <summary>Writes down that it is done.</summary>
    protected virtual void EndWith(Operation operation, TOutcome outcome, CancellationToken cancel) => operation.End();

    /// <summary>Says how far it has come.</summary>
    protected virtual OperationStopped Stopped(Operation operation, TPlan plan, MuktaException cause) =>
        new(operation.Header.Operation, cause);

    /// <summary>Moves something to the kept files, if it is there.</summary>
    protected void SetAside(Operation operation, string subject)
    {
        var (area, path) = operation.For(subject);
        if (operation.Root.Look(path) is null)
            return;
        Tools.Doing?.Invoke($"setting aside {Disk.PathBytes.Shown(subject)}");
        area.SetAside(path);
    }
}
