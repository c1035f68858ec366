namespace Mukta.Cli.Json;

/// <summary><c>mukta.move/1</c></summary>
internal sealed record MoveDocument(string Format, string Product, string From, string To, bool IsDryRun, int ExitCode)
{
    public bool IsRename { get; init; }

    public long Bytes { get; init; }

    public long Files { get; init; }

    public IReadOnlyList<string> OperationsStaying { get; init; } = [];

    public string? Operation { get; init; }

    public IReadOnlyList<string> LeftOut { get; init; } = [];

    public VerifyDocument? After { get; init; }
}
