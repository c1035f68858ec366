using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Products;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.services/1</c></summary>
internal sealed record ServicesDocument(string Format, string Product, bool DryRun, int ExitCode, IReadOnlyList<ServicePart> Services)
{
    public IReadOnlyList<ServiceStepPart>? Steps { get; init; }

    public int? StepsDone { get; init; }

    public string? Operation { get; init; }

    public string? Failure { get; init; }
}

/// <summary>A step of a plan for services.</summary>
internal sealed record ServiceStepPart(string Act, string Unit)
{
    public static ServiceStepPart Of(ServiceStep step) => new(Rendering.ServiceText.Name(step.Act), step.Unit);
}

/// <summary>A service, and how it should be.</summary>
internal sealed record ServicePart(
    string Unit, bool IsAsExpected, string Load, string Startup, string ExpectedStartup, string? State, string ExpectedState, string Sub, string Result,
    int ExitStatus, DateTimeOffset? Since, IReadOnlyList<string>? LastLines)
{
    public static ServicePart Of(ServiceExpectation expected, ServiceState state) => new(
        state.Unit, state.IsAsExpected(expected), state.Load, state.Startup, expected.Startup, state.Active, expected.State, state.Sub, state.Result, state.ExitStatus, state.Since,
        state.LastLines.Count == 0 ? null : [.. state.LastLines.Select(PathBytes.Shown)]);
}
