using Mukta.Disk;
using Mukta.Operations;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Operations and what they hold, as a technician reads them.</summary>
internal sealed class HeldText(IAnsiConsole console)
{
    public void Write(IEnumerable<KeptOperation> operations)
    {
        foreach (var operation in operations)
        {
            var header = operation.Record.Header;
            var what =
                $"{header.Command}{(header.Undoes is { } undone ? $" of {undone}" : "")}"
                + $"{(header.Product is { } product ? $", {product}{(header.Release is { } release ? $" {release}" : "")}" : "")}";
            console.MarkupLineInterpolated($"[bold]{operation.Id}[/]  {PathBytes.Shown(what)}{StateName(operation.State)}");
            console.WriteLine(
                $"  {header.Started.ToLocalTime():yyyy-MM-dd HH:mm}, keeps {Units.Bytes(operation.Size.Bytes)} in "
                + $"{Units.Count(operation.Size.Files, "file")}");
            console.WriteLine($"  {PathBytes.Shown(operation.Place)}");
        }
    }

    public void WriteAll(IReadOnlyList<KeptOperation> operations, string? next)
    {
        Write(operations);
        console.WriteLine(
            $"\nTotal {Units.Bytes(operations.Sum(o => o.Size.Bytes))} kept by "
            + $"{Units.Count(operations.Select(o => o.Id).Distinct().Count(), "operation")}.");
        if (next is not null)
            console.MarkupLineInterpolated($"Next: [bold]{next}[/]");
    }

    private static string StateName(OperationState state) => state switch
    {
        OperationState.Unfinished => ", interrupted: the same command goes on with it",
        OperationState.Done => "",
        _ => $", {OperationCatalog.StateName(state)}",
    };
}
