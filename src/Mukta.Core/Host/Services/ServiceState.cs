using Mukta.Products;

namespace Mukta.Host.Services;

/// <summary>A service as the service manager has it. The words are systemd's own, see systemctl(1).</summary>
/// <param name="Unit">The unit's name.</param>
/// <param name="Load">loaded, not-found, masked, bad-setting, error.</param>
/// <param name="Startup">Startup mode: enabled, disabled, static, masked and others; empty if it is not known.</param>
/// <param name="Active">active, inactive, failed, activating, deactivating, reloading; null if nobody can know, on a disk that is only
/// mounted.</param>
public sealed record ServiceState(string Unit, string Load, string Startup, string? Active)
{
    /// <summary>The unit's own state, such as running or dead.</summary>
    public string Sub { get; init; } = "";

    /// <summary>Why it ended: success, exit-code, signal, timeout and others.</summary>
    public string Result { get; init; } = "success";

    /// <summary>The exit code or signal of its main process.</summary>
    public int ExitStatus { get; init; }

    /// <summary>When it came into this state, UTC; null if it never was in another.</summary>
    public DateTimeOffset? Since { get; init; }

    /// <summary>Its main process; 0 for none.</summary>
    public int MainPid { get; init; }

    /// <summary>How often the manager has started it again by itself.</summary>
    public int Restarts { get; init; }

    /// <summary>The last lines it logged; only asked for where something is wrong.</summary>
    public IReadOnlyList<string> LastLines { get; init; } = [];

    /// <summary>True if the unit's file is there.</summary>
    public bool IsThere => Load != "not-found";

    /// <summary>True if nothing can start it.</summary>
    public bool IsMasked => Load == "masked" || Startup is "masked" or "masked-runtime";

    /// <summary>True if it starts by itself in the way that the profile asks for.</summary>
    public bool HasStartup(string expected) => expected switch
    {
        "enabled" => Startup is "enabled" or "enabled-runtime" or "alias" or "indirect" or "generated",
        "static" => Startup is "static" or "indirect" or "generated" or "transient",
        _ => Startup == expected,
    };

    /// <summary>True if it is just as the profile asks for, as far as that can be known.</summary>
    public bool IsAsExpected(ServiceExpectation expected) =>
        IsThere && !IsMasked && HasStartup(expected.Startup)
        && (Active is null || Active == expected.State || (Active == "reloading" && expected.State == "active"));
}
