namespace Mukta.Cli.Json;

/// <summary><c>mukta.adopt/1</c></summary>
internal sealed record AdoptDocument(
    string Format, string Product, string Install, bool DryRun, int ExitCode, bool IsRecorded, VerifyDocument Verify);
