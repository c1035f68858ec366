namespace Mukta.Cli.Json;

/// <summary><c>mukta.installs.add/1</c></summary>
internal sealed record InstallsAddDocument(
    string Format, string Product, string Install, bool IsDryRun, int ExitCode, bool IsRecorded, VerifyDocument Verify);
