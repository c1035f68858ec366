using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.held/1</c> and <c>mukta.held.purge/1</c></summary>
internal sealed record HeldDocument(string Format, bool DryRun, int ExitCode, IReadOnlyList<HeldPart> Operations);

/// <summary><c>mukta.undo/1</c></summary>
internal sealed record UndoDocument(string Format, string Undoes, bool DryRun, int ExitCode, IReadOnlyList<HeldPart> Operations)
{
    /// <summary>The id of the undo itself; missing where nothing was done.</summary>
    public string? Operation { get; init; }

    /// <summary>What is not back, and why.</summary>
    public IReadOnlyList<NotRestoredPart>? NotRestored { get; init; }
}

/// <summary>Something that is not back.</summary>
internal sealed record NotRestoredPart(string What, string Reason);

/// <summary>What an operation keeps in one place.</summary>
internal sealed record HeldPart(string Operation, string Command, string? Product, string? Release, DateTimeOffset Started, string State, string Place, long Bytes, long Files, int Changes)
{
    public string? Undoes { get; init; }

    public static HeldPart Of(KeptOperation operation) => new(
        operation.Id, operation.Record.Header.Command, operation.Record.Header.Product, operation.Record.Header.Release, operation.Record.Header.Started,
        JsonNames.OfName(operation.State.ToString()), PathBytes.Shown(operation.Place), operation.Size.Bytes, operation.Size.Files, operation.Record.Changes.Count)
    {
        Undoes = operation.Record.Header.Undoes,
    };
}
