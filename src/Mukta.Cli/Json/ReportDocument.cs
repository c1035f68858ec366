using Mukta.Cases;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Operations;
using Mukta.Repair;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.report/1</c>: a case or an operation, written up.</summary>
internal sealed record ReportDocument(string Format, int ExitCode, string Title, string Verdict, DateTimeOffset Made, string Mukta)
{
    /// <summary>The machine.</summary>
    public required MachineFacts Machine { get; init; }

    /// <summary>The case; missing for an operation.</summary>
    public CasePart? Case { get; init; }

    /// <summary>What was seen when the case was opened; missing for an operation.</summary>
    public CaseSnapshot? Seen { get; init; }

    /// <summary>The operations of the case, or the one that is reported.</summary>
    public required IReadOnlyList<ReportOperationPart> Operations { get; init; }

    /// <summary>What to hand to the vendor's support; missing if the case is fixed.</summary>
    public IReadOnlyList<string>? HandOver { get; init; }
}

/// <summary>An operation, with what it has changed.</summary>
internal sealed record ReportOperationPart(
    string Operation, string Command, DateTimeOffset Started, string State, long BytesKept, long BytesDownloaded, string Undo)
{
    private const int MostChanges = 200;

    public string? Product { get; init; }

    public string? Release { get; init; }

    /// <summary>Bytes of the release that were not downloaded, because they were here; missing if that is not known.</summary>
    public long? BytesNotDownloaded { get; init; }

    /// <summary>What the damage looked like.</summary>
    public required IReadOnlyList<string> Causes { get; init; }

    /// <summary>What it has changed; at most 200.</summary>
    public required IReadOnlyList<ReportChangePart> Changes { get; init; }

    /// <summary>How many changes there are in all.</summary>
    public required int ChangeCount { get; init; }

    /// <param name="places">What it keeps, place by place.</param>
    /// <param name="options">What has to be added to the command that undoes it.</param>
    public static ReportOperationPart Of(IReadOnlyList<KeptOperation> places, string options)
    {
        var header = places[0].Record.Header;
        var notes = places.Select(p => RepairNotes.Of(p.Record)).ToList();
        var downloaded = notes.Sum(n => n.Downloaded);
        var release = notes.Select(n => n.Release).FirstOrDefault(r => r is not null);
        var changes = places.SelectMany(p => p.Record.Changes.Where(c => c.UndoPhrase is not null).Select(
            c => (Change: c, Subject: c.IsOnDisk && p.Anchor == "/" ? $"/{c.Subject}" : c.Subject))).ToList();
        return new ReportOperationPart(
            header.Operation, header.Command, header.Started, JsonNames.OfName(places[0].State.ToString()), places.Sum(p => p.Size.Bytes),
            downloaded, $"mukta undo {header.Operation}{options}")
        {
            Product = header.Product,
            Release = header.Release,
            BytesNotDownloaded = release is { } all && all >= downloaded ? all - downloaded : null,
            Causes = [.. notes.SelectMany(n => n.Causes).Select(CauseWords.Sentence).Distinct().Select(PathBytes.Shown)],
            Changes = [.. changes.Take(MostChanges).Select(
                c => new ReportChangePart(JsonNames.OfName(c.Change.GetType().Name), PathBytes.Shown(c.Subject)))],
            ChangeCount = changes.Count,
        };
    }
}

/// <summary>Something that an operation has changed.</summary>
internal sealed record ReportChangePart(string Change, string Subject);

/// <summary><c>mukta.report.vendor/1</c>: what the vendor gets.</summary>
internal sealed record VendorDocument(string Format, int ExitCode, string File, IReadOnlyList<VendorFilePart> Files);

/// <summary>A file for the vendor.</summary>
internal sealed record VendorFilePart(string Name, long Bytes);
