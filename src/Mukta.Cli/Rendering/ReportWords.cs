using System.Globalization;
using Mukta.Cases;
using Mukta.Cli.Json;

namespace Mukta.Cli.Rendering;

/// <summary>What a report says, whatever it is written as.</summary>
internal static class ReportWords
{
    /// <summary>A date and time for people; they read it on another machine, so it is in UTC.</summary>
    public static string Time(DateTimeOffset time) => time.UtcDateTime.ToString("yyyy-MM-dd HH:mm 'UTC'", CultureInfo.InvariantCulture);

    /// <summary>The complaint, as names and values.</summary>
    public static IEnumerable<(string Name, string Value)> Complaint(CasePart one)
    {
        yield return ("Code", one.Code.Length > 0 ? $"{one.Code}: {one.Means}" : one.Means);
        if (one.Symptom is { } symptom)
            yield return ("In the customer's words", symptom);
        if (one.Reference is { } reference)
            yield return ("Reference", reference);
        yield return ("Opened", Time(one.Opened));
        if (one.Closed is { } closed)
            yield return ("Closed", Time(closed));
        if (one.Install is { } install)
            yield return ("Install", install);
    }

    /// <summary>The machine, as names and values.</summary>
    public static IEnumerable<(string Name, string Value)> Machine(MachineFacts machine, string mukta)
    {
        yield return ("System", machine.System);
        if (machine.Kernel.Length > 0)
            yield return ("Kernel", $"{machine.Kernel}, {machine.Architecture}");
        if (machine.MemoryBytes > 0)
            yield return ("Memory", Units.Bytes(machine.MemoryBytes));
        yield return ("Mukta", mukta);
    }

    /// <summary>How the files stood, in a sentence.</summary>
    public static string Files(SeenFiles files)
    {
        var differ = files.Listed - files.Intact;
        return differ == 0 ? $"All {Units.Count(files.Listed, "file")} are as published."
            : $"{Units.Of(differ, files.Listed, "file")} {(differ == 1 ? "differs" : "differ")} from the release. "
            + $"{Units.Bytes(files.BytesGood)} are good, {Units.Bytes(files.BytesToFetch)} have to be downloaded.";
    }

    /// <summary>Which pieces of a file are bad.</summary>
    public static string Pieces(FileStrip strip)
    {
        const int Most = 6;
        if (strip.Bad.Count == 0)
            return "the bytes are right";
        var count = strip.Bad.Sum(b => b.Last - b.First + 1);
        if (count == strip.Pieces)
            return $"all of {Units.Count(strip.Pieces, "piece")}";
        var spans = strip.Bad.Take(Most).Select(b => b.First == b.Last ? $"{b.First + 1}" : $"{b.First + 1} to {b.Last + 1}");
        return $"{Units.Of(count, strip.Pieces, "piece")}: {string.Join(", ", spans)}{(strip.Bad.Count > Most ? ", ..." : "")}";
    }

    /// <summary>What came of a rung.</summary>
    public static string Result(CaseRungPart rung) => rung.Result ?? (rung.Done is null ? "not tried" : "done, result not recorded");

    /// <summary>When a rung was done, and how long that took.</summary>
    public static string Done(CaseRungPart rung) => rung.Done is not { } done ? ""
        : Time(done) + (rung.Begun is { } begun && done > begun ? $", in {Units.Time(done - begun)}" : "");

    /// <summary>A finding's verdict: one that is in order is worth a note.</summary>
    public static string Verdict(SeenFinding finding) => finding.Verdict == "ok" ? "note" : finding.Verdict;

    /// <summary>What was downloaded, in a sentence; null if there was nothing to download.</summary>
    public static string? Traffic(ReportOperationPart operation) =>
        operation is { BytesDownloaded: 0, BytesNotDownloaded: null } ? null : operation.BytesNotDownloaded is { } saved
        ? $"{Units.Bytes(operation.BytesDownloaded)} downloaded. {Units.Bytes(saved)} of the release were here already, and were not "
        + "downloaded."
        : $"{Units.Bytes(operation.BytesDownloaded)} downloaded.";

    /// <summary>A change in words.</summary>
    public static string Change(ReportChangePart change) => $"{change.Change.Replace('-', ' ')}: {change.Subject}";
}
