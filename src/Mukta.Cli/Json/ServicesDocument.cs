using Mukta.Disk;
using Mukta.Host.Services;
using Mukta.Products;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.services/1</c></summary>
internal sealed record ServicesDocument(int ExitCode, IReadOnlyList<ProductServicesPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; } = "mukta.services/1";
}

/// <summary>The services of a product.</summary>
internal sealed record ProductServicesPart(string Product, string Title, IReadOnlyList<ServicePart> Services);

/// <summary><c>mukta.services.restore/1</c>, <c>mukta.services.restart/1</c> and <c>mukta.services.stop/1</c></summary>
internal sealed record ServicesRunDocument(string Format, string Product, bool IsDryRun, int ExitCode, IReadOnlyList<ServicePart> Services)
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
internal sealed record ServicePart
{
    public required string Unit { get; init; }

    public required bool IsAsExpected { get; init; }

    public required string Load { get; init; }

    public required string Startup { get; init; }

    public required string ExpectedStartup { get; init; }

    public string? State { get; init; }

    public required string ExpectedState { get; init; }

    public required string Sub { get; init; }

    public required string Result { get; init; }

    public required int ExitStatus { get; init; }

    public DateTimeOffset? Since { get; init; }

    public IReadOnlyList<string>? LastLines { get; init; }

    public static ServicePart Of(ServiceExpectation expected, ServiceState state) => new()
    {
        Unit = state.Unit,
        IsAsExpected = state.IsAsExpected(expected),
        Load = state.Load,
        Startup = state.Startup,
        ExpectedStartup = expected.Startup,
        State = state.Active,
        ExpectedState = expected.State,
        Sub = state.Sub,
        Result = state.Result,
        ExitStatus = state.ExitStatus,
        Since = state.Since,
        LastLines = state.LastLines.Count == 0 ? null : [.. state.LastLines.Select(PathBytes.Shown)],
    };
}
