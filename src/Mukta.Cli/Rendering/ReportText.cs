using Mukta.Cli.Json;
using Mukta.Disk;

namespace Mukta.Cli.Rendering;

/// <summary>A report as plain text.</summary>
internal static class ReportText
{
    /// <summary>The text.</summary>
    public static string Of(ReportDocument report)
    {
        var lines = new List<string> { report.Title, report.Verdict };
        if (report.Case is { } one)
            Pairs("Complaint", ReportWords.Complaint(one));
        Pairs("Machine", ReportWords.Machine(report.Machine, report.Mukta));
        if (report.Seen is { } seen)
        {
            Head($"State found, {ReportWords.Time(seen.Taken)}");
            foreach (var product in seen.Products)
            {
                lines.Add($"  {product.Title}{(product.Release is { } release ? $" {release}" : "")}");
                lines.AddRange(product.Areas.SelectMany(
                    a => a.Findings.Select(f => $"    {ReportWords.Verdict(f),-8}  {a.Area}: {f.Seen}")));
                lines.Add($"    {"ok",-8}  {string.Join(", ", product.Areas.Where(a => a.Verdict == "ok").Select(a => a.Area))}");
            }

            if (seen.Files is { } files)
            {
                Head("Files");
                lines.Add($"  {ReportWords.Files(files)}");
                lines.AddRange(files.Damaged.Select(d => $"  {d.State,-10}  {d.Path}, {ReportWords.Pieces(d)}"));
                lines.AddRange(files.Causes.Select(c => $"  likely cause: {c}"));
            }
        }

        if (report.Case is { Rungs: { Count: > 0 } rungs })
        {
            Head("What was tried");
            lines.AddRange(rungs.Select(
                (r, i) => $"  {i + 1,2}  {r.Rung}: {ReportWords.Result(r)}{(r.Done is null ? "" : $", {ReportWords.Done(r)}")}"));
        }

        foreach (var operation in report.Operations)
        {
            Head($"Operation {operation.Operation}");
            lines.Add($"  {operation.Command} of {operation.Product ?? "-"}, {ReportWords.Time(operation.Started)}, {operation.State}");
            if (ReportWords.Traffic(operation) is { } traffic)
                lines.Add($"  {traffic}");
            lines.AddRange(operation.Causes.Select(c => $"  likely cause: {c}"));
            lines.AddRange(operation.Changes.Select(c => $"  {ReportWords.Change(c)}"));
            lines.Add($"  Undo: {operation.Undo}");
        }

        if (report.Case is { } noted)
        {
            Head("What happened");
            lines.AddRange(noted.Events.Select(e => $"  {ReportWords.Time(e.At)}  {e.What}"));
        }

        if (report.HandOver is { } hand)
        {
            Head("For the vendor's support");
            lines.AddRange(hand.Select(h => $"  {h}"));
        }

        return string.Join('\n', lines.Select(PathBytes.Shown)) + "\n";

        void Head(string head) => lines.AddRange(["", head]);

        void Pairs(string head, IEnumerable<(string Name, string Value)> pairs)
        {
            Head(head);
            lines.AddRange(pairs.Select(p => $"  {p.Name + ":",-24} {p.Value}"));
        }
    }
}
