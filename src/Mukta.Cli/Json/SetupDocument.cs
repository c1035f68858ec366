namespace Mukta.Cli.Json;

/// <summary><c>mukta.setup/1</c></summary>
internal sealed record SetupDocument(
    string Format, string Product, string Action, string Install, string Program, IReadOnlyList<string> Arguments, double LimitSeconds, bool DryRun, int ExitCode, string? Operation, int? ProgramExitCode, double? Seconds, IReadOnlyList<string>? LastLines, VerifyDocument? After);
