namespace Mukta.Host.Services;

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

/// <summary>Asks the service manager, and tells it what to do.</summary>
public interface IServiceControl
{
    /// <summary>True if it can change something, and not only tell.</summary>
    bool CanChange { get; }

    /// <summary>True if only root may change something.</summary>
    bool NeedsRoot => false;

    /// <summary>The state of services, in the order in which they are named.</summary>
    /// <exception cref="ServiceControlFailed">The manager does not answer.</exception>
    Task<IReadOnlyList<ServiceState>> StatesAsync(IReadOnlyList<string> units, CancellationToken cancel);

    /// <summary>The services of this machine that start a program below a folder; none where that is not known.</summary>
    /// <param name="folder">The folder, as the machine names it.</param>
    /// <param name="cancel">Interrupts.</param>
    Task<IReadOnlyList<UnitProgram>> StartingFromAsync(string folder, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<UnitProgram>>([]);

    /// <summary>The last lines that a service logged, oldest first; none where the log may not be read.</summary>
    Task<IReadOnlyList<string>> LastLinesAsync(string unit, int count, CancellationToken cancel);

    /// <summary>Tells the manager to do something and waits until it has.</summary>
    /// <exception cref="ServiceControlFailed">It refused, or the service did not do it.</exception>
    Task DoAsync(ServiceAct act, string unit, CancellationToken cancel);
}

/// <summary>A service and the program that it starts.</summary>
/// <param name="Unit">The unit.</param>
/// <param name="Program">The program, as the machine names it.</param>
public sealed record UnitProgram(string Unit, string Program);

/// <summary>The service manager did not do what it was asked.</summary>
/// <param name="what">What happened, as a sentence.</param>
/// <param name="where">The command.</param>
/// <param name="next">What to do next.</param>
/// <param name="inner">The failure underneath.</param>
public sealed class ServiceControlFailed(string what, string where, string next, Exception? inner = null)
    : MuktaException(ExitCode.Blocked, what, where, next, inner);
