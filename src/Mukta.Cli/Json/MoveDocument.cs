namespace Mukta.Cli.Json;

/// <summary><c>mukta.move/1</c></summary>
internal sealed record MoveDocument(
    string Format, string Product, string From, string To, bool DryRun, int ExitCode, bool IsRename, long Bytes, long Files, string? Operation, IReadOnlyList<string> LeftOut, VerifyDocument? After);
