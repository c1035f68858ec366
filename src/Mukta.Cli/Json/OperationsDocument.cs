using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Cli.Json;

/// <summary>An operation that was begun and has not ended.</summary>
internal sealed record PendingPart(string Operation, string Command, string State, DateTimeOffset Started)
{
    public static PendingPart Of(PendingOperation pending) => new(
        pending.Record.Header.Operation, PathBytes.Shown(pending.Record.Header.Command), JsonNames.OfName(pending.State.ToString()),
        pending.Record.Header.Started);
}

/// <summary><c>mukta.operations/1</c> and <c>mukta.operations.purge/1</c></summary>
internal sealed record OperationsDocument(string Format, bool IsDryRun, int ExitCode, IReadOnlyList<OperationPart> Operations);

/// <summary><c>mukta.undo/1</c></summary>
internal sealed record UndoDocument(string Format, string Undoes, bool IsDryRun, int ExitCode, IReadOnlyList<OperationPart> Operations)
{
    /// <summary>The id of the undo itself; missing if nothing was done.</summary>
    public string? Operation { get; init; }

    /// <summary>Published files that are back with wrong bytes; missing if there are none.</summary>
    public IReadOnlyList<string>? Damaged { get; init; }

    /// <summary>What is not back, and why.</summary>
    public IReadOnlyList<NotRestoredPart>? NotRestored { get; init; }
}

/// <summary>Something that is not back.</summary>
internal sealed record NotRestoredPart(string What, string Reason);

/// <summary>What an operation keeps in one place.</summary>
internal sealed record OperationPart
{
    public required string Operation { get; init; }

    public required string Command { get; init; }

    public string? Product { get; init; }

    public string? Version { get; init; }

    public required DateTimeOffset Started { get; init; }

    public required string State { get; init; }

    public required string Place { get; init; }

    public required long Bytes { get; init; }

    public required long Files { get; init; }

    public required int Changes { get; init; }

    public string? Undoes { get; init; }

    public static OperationPart Of(KeptOperation operation) => new()
    {
        Operation = operation.Id,
        Command = operation.Record.Header.Command,
        Product = operation.Record.Header.Product,
        Version = operation.Record.Header.Release,
        Started = operation.Record.Header.Started,
        State = JsonNames.OfName(operation.State.ToString()),
        Place = PathBytes.Shown(operation.Place),
        Bytes = operation.Size.Bytes,
        Files = operation.Size.Files,
        Changes = operation.Record.Changes.Count,
        Undoes = operation.Record.Header.Undoes,
    };
}
