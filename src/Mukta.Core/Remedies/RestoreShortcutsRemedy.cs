using Mukta.Host;
using Mukta.Host.Shortcuts;
using Mukta.Operations;

namespace Mukta.Remedies;

/// <summary>The changes to shortcuts.</summary>
/// <param name="Entries">The shortcuts as they are.</param>
/// <param name="Changes">What is changed of them.</param>
public sealed record ShortcutsPlan(IReadOnlyList<Shortcut> Entries, IReadOnlyList<ShortcutChange> Changes) : IOperationPlan
{
    /// <inheritdoc/>
    public bool IsEmpty => Changes.Count == 0;
}

/// <summary>What became of shortcuts.</summary>
/// <param name="Operation">The operation.</param>
/// <param name="Changed">Each change.</param>
/// <param name="After">The shortcuts as they are now.</param>
public sealed record ShortcutsOutcome(string? Operation, IReadOnlyList<ChangedEntry> Changed, IReadOnlyList<Shortcut> After)
    : IOperationOutcome
{
    /// <inheritdoc/>
    public ExitCode Code =>
        Changed.Any(c => c.Failure is not null) || ShortcutFindings.Of(After).Any(f => f.Remedy == Host.Checks.Remedy.RestoreShortcuts)
        ? ExitCode.Blocked : ShortcutFindings.Of(After).Any() ? ExitCode.Problems : ExitCode.Done;
}

/// <summary>Brings shortcuts to what the profile asks for; what the user added stays.</summary>
/// <param name="target">The product, with the one install that they start.</param>
/// <param name="tools">What it works with.</param>
public sealed class RestoreShortcutsRemedy(RemedyTarget target, OperationTools tools)
    : OperationRemedy<ShortcutsPlan, ShortcutsOutcome>(target.Machine, target.Profile.Product, tools)
{
    /// <inheritdoc/>
    public override string Name => "shortcuts";

    /// <inheritdoc/>
    protected override string RequestOf(ShortcutsPlan plan) => "restore";

    /// <inheritdoc/>
    public override Task<ShortcutsPlan> PlanAsync(CancellationToken cancel)
    {
        var entries = Look();
        return Task.FromResult(new ShortcutsPlan(entries, ShortcutRestorer.Plan(entries, target.Profile.Title)));
    }

    /// <inheritdoc/>
    protected override IEnumerable<TouchedPlaces> Touched(ShortcutsPlan plan) => [target.Touched([], [])];

    /// <inheritdoc/>
    protected override Task<ShortcutsOutcome> DoAsync(Operation operation, InstallLocks locks, ShortcutsPlan plan, CancellationToken cancel)
    {
        IReadOnlyList<ChangedEntry> changed = [.. plan.Changes.Select(c => ShortcutRestorer.Do(operation, c))];
        return Task.FromResult(new ShortcutsOutcome(operation.Header.Operation, changed, Look()));
    }

    private IReadOnlyList<Shortcut> Look() => new ShortcutLook(Machine).At(target.Profile, target.Installs[0]);
}
