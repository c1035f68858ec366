using System.Text.Json.Serialization;

namespace Mukta.Operations;

[JsonDerivedType(typeof(ServiceChanged), "service-changed")]
public abstract partial record Change;

/// <summary>A service is changed after this; the change itself is the service manager's.</summary>
/// <param name="Unit">Its unit.</param>
/// <param name="Startup">The startup mode that it had, in systemd's words.</param>
/// <param name="Active">The state that it had, in systemd's words.</param>
public sealed record ServiceChanged(string Unit, string Startup, string Active) : Change
{
    /// <inheritdoc/>
    protected override string? PhraseOfUndo => "restore a service";

    /// <inheritdoc/>
    protected override bool IsAboutPath => false;

    /// <inheritdoc/>
    protected override string About => Unit;

    internal override void Revert(ChangeSite site, KeptArea undo, ISystemUndo? system)
    {
        if (system is null || !system.MayRestore(Unit))
            throw new NotRestoredException("no profile names this service, so it was left as it is");
        var now = system.Now(Unit);
        if (now.Startup.Length == 0 && Startup.Length > 0)
            throw new NotRestoredException("the service is no longer installed; the vendor's setup installs it");
        undo.Do(now);
        system.Restore(this);
    }
}
