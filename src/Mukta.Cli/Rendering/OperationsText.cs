using Mukta.Disk;
using Mukta.Operations;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Operations and what they hold, as a technician reads them.</summary>
internal sealed class OperationsText(IAnsiConsole console)
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

    /// <summary>How many there are and how much they keep.</summary>
    public void Sum(IReadOnlyList<KeptOperation> operations) => console.WriteLine(
        operations.Count == 0 ? "No operations."
        : $"{Units.Count(operations.Select(o => o.Id).Distinct().Count(), "operation")}, "
        + $"{Units.Bytes(operations.Sum(o => o.Size.Bytes))} kept.");

    /// <summary>One line for each, the latest last.</summary>
    public void Table(IReadOnlyList<KeptOperation> operations)
    {
        var rows = operations.GroupBy(o => o.Id).Select(g =>
        {
            var header = g.First().Record.Header;
            var state = g.Select(o => o.State).FirstOrDefault(s => s != OperationState.Done, OperationState.Done);
            return new[]
            {
                g.Key, $"{header.Started.ToLocalTime():yyyy-MM-dd HH:mm}", header.Command, header.Product ?? "-",
                Units.Bytes(g.Sum(o => o.Size.Bytes)), state switch
                {
                    OperationState.Done => "",
                    OperationState.Unfinished => "interrupted",
                    _ => OperationCatalog.StateName(state),
                },
            };
        }).ToList();
        var widths = Enumerable.Range(0, 6).Select(i => rows.Max(r => PathBytes.Shown(r[i]).Length)).ToArray();
        foreach (var row in rows)
            console.WriteLine("  " + string.Join("  ", row.Select((cell, i) => PathBytes.Shown(cell).PadRight(widths[i]))).TrimEnd());
    }

    private static string StateName(OperationState state) => state switch
    {
        OperationState.Unfinished => ", interrupted: the same command continues it",
        OperationState.Done => "",
        _ => $", {OperationCatalog.StateName(state)}",
    };
}
