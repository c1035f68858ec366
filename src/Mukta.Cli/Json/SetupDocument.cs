namespace Mukta.Cli.Json;

/// <summary><c>mukta.setup/1</c></summary>
internal sealed record SetupDocument(string Format, string Product, string Action, string Install)
{
    public required string Program { get; init; }

    public required IReadOnlyList<string> Arguments { get; init; }

    public long LimitMs { get; init; }

    public bool IsDryRun { get; init; }

    public int ExitCode { get; init; }

    public string? Operation { get; init; }

    public int? ProgramExitCode { get; init; }

    public long? ElapsedMs { get; init; }

    public IReadOnlyList<string>? LastLines { get; init; }

    public VerifyDocument? After { get; init; }
}
