using Mukta.Products;

namespace Mukta.Host.Services;

/// <summary>A service as the service manager has it. The words are systemd's own, see systemctl(1).</summary>
/// <param name="Unit">The unit's name.</param>
/// <param name="Load">loaded, not-found, masked, bad-setting, error.</param>
/// <param name="Startup">Startup mode: enabled, disabled, static, masked and others; empty where it is not known.</param>
/// <param name="Active">active, inactive, failed, activating, deactivating, reloading; null where nobody can know, on a disk that is only mounted.</param>
/// <param name="Sub">The unit's own state, such as running or dead.</param>
/// <param name="Result">Why it ended: success, exit-code, signal, timeout and others.</param>
/// <param name="ExitStatus">The exit code or signal of its main process.</param>
/// <param name="Since">When it came into this state, UTC; null where it never was in another.</param>
/// <param name="MainPid">Its main process; 0 for none.</param>
/// <param name="Restarts">How often the manager has started it again by itself.</param>
public sealed record ServiceState(
    string Unit, string Load, string Startup, string? Active, string Sub = "", string Result = "success", int ExitStatus = 0,
    DateTimeOffset? Since = null, int MainPid = 0, int Restarts = 0)
{
    /// <summary>The last lines it logged; only asked for where something is wrong.</summary>
    public IReadOnlyList<string> LastLines { get; init; } = [];

    /// <summary>True where the unit's file is there.</summary>
    public bool IsThere => Load != "not-found";

    /// <summary>True where nothing can start it.</summary>
    public bool IsMasked => Load == "masked" || Startup is "masked" or "masked-runtime";

    /// <summary>True where it starts by itself in the way that the profile asks for.</summary>
    public bool HasStartup(string expected) => expected switch
    {
        "enabled" => Startup is "enabled" or "enabled-runtime" or "alias" or "indirect" or "generated",
        "static" => Startup is "static" or "indirect" or "generated" or "transient",
        _ => Startup == expected,
    };

    /// <summary>True where it is just as the profile asks for, as far as that can be known.</summary>
    public bool IsAsExpected(ServiceExpectation expected) =>
        IsThere && !IsMasked && HasStartup(expected.Startup) && (Active is null || Active == expected.State || (Active == "reloading" && expected.State == "active"));
}

/// <summary>Asks the service manager, and tells it what to do.</summary>
public interface IServiceControl
{
    /// <summary>True where it can change something, and not only tell.</summary>
    bool CanChange { get; }

    /// <summary>How services stand, in the order in which they are named.</summary>
    /// <exception cref="ServiceControlFailed">The manager does not answer.</exception>
    Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel);

    /// <summary>The last lines that a service logged, oldest first; none where the log may not be read.</summary>
    Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel);

    /// <summary>Tells the manager to do something and waits until it has.</summary>
    /// <exception cref="ServiceControlFailed">It refused, or the service did not do it.</exception>
    Task DoAsync(ServiceAct act, string unit, CancellationToken cancel);
}

/// <summary>What a service manager can be told.</summary>
public enum ServiceAct
{
    /// <summary>Take away what keeps it from being started.</summary>
    Unmask,

    /// <summary>Keep it from being started by anything.</summary>
    Mask,

    /// <summary>Let it start by itself.</summary>
    Enable,

    /// <summary>Do not let it start by itself.</summary>
    Disable,

    /// <summary>Forget that it failed, so that it may be started again.</summary>
    ResetFailed,

    /// <summary>Start it.</summary>
    Start,

    /// <summary>Stop it.</summary>
    Stop,
}

/// <summary>The service manager did not do what it was asked.</summary>
/// <param name="what">What happened, as a sentence.</param>
/// <param name="where">The command.</param>
/// <param name="next">What to do next.</param>
/// <param name="inner">The failure underneath.</param>
public sealed class ServiceControlFailed(string what, string where, string next, Exception? inner = null) : MuktaException(ExitCode.Blocked, what, where, next, inner);
