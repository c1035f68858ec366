using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Operations;
using Mukta.Verification;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A verification as a technician reads it: the verdict, then each state with its files, then what to type.</summary>
internal sealed class VerifyText(IAnsiConsole console, string install)
{
    private const int UsualRows = 10;

    public bool ShowAll { get; init; }

    public bool StraysCount { get; init; }

    /// <summary>The release that is there, where it is newer than the manifest's.</summary>
    public ReleaseFacts? Newer { get; init; }

    /// <summary>The release that is there, where it is older than the manifest's.</summary>
    public ReleaseFacts? Older { get; init; }

    /// <summary>The format of the manifest; null if it was not read.</summary>
    public ManifestFormat? Format { get; init; }

    /// <summary>True if the manifest does not say how long its files are.</summary>
    public bool LacksSizes { get; init; }

    /// <summary>Everything: verdict, findings, sums.</summary>
    public void Write(
        VerifyResult result, string? next, IReadOnlyList<RunningProcess>? running = null, IReadOnlyList<PendingOperation>? pending = null)
    {
        Verdict(result);
        var groups = result.Findings.GroupBy(f => f.State).Select(g => (State: g.Key, All: g.ToList())).ToList();
        var width = Columns.Width(groups.SelectMany(g => Shown(g.All)).Select(f => f.Path));
        foreach (var (state, all) in groups)
            Group(state, all, Shown(all), width);
        if (running is [var first, ..])
        {
            console.MarkupLine(
                $"\n[yellow]Running:[/] "
                + $"{Escape($"{first.Name} (process {first.Pid}) {first.Reasons[0]}")}"
                + $"{(running.Count > 1 ? $", and {Units.Count(running.Count - 1, "other process", "other processes")}" : "")}.\n"
                + "Files may change while they are read, and a repair would refuse.");
        }

        if (Newer is not null)
        {
            console.MarkupLine(
                $"\n[yellow]Newer:[/] the last repair brought this install to {Escape(Title(Newer))}, which is newer than the manifest.\n"
                + "Compare it with the manifest of that release.");
        }

        if (Older is not null)
        {
            console.MarkupLine(
                $"\n[yellow]Older:[/] the last repair brought this install to {Escape(Title(Older))}, "
                + "which is older than the manifest.\nA repair updates it.");
        }

        foreach (var (seen, advice) in PendingFindings.Sentences(pending ?? []))
            console.MarkupLine($"\n[yellow]Pending:[/] {Escape(seen)}\n{Escape(advice)}");
        if (next is not null || !result.IsIntact || !result.ModesCompared || result.Release.WeakFiles > 0
            || Format is { } other && other != ManifestFormat.Metalink)
            console.WriteLine();
        Notes(result);
        if (next is not null)
            console.MarkupLineInterpolated($"Next: [bold]{next}[/]");
    }

    /// <summary>The first line: is it intact. Then, unless only that is wanted, how much was read.</summary>
    public void Verdict(VerifyResult result, bool isQuiet = false)
    {
        var isGood = result.IsIntact && !(StraysCount && result.Strays.Any());
        console.MarkupLine($"{(isGood ? "[green]Intact[/]" : "[red]Not intact[/]")}: {Escape(Title(result.Release))} in {Escape(install)}");
        if (isQuiet)
            return;
        var read = $"{Units.Bytes(result.BytesRead)} read in {Units.Time(result.Elapsed)}";
        var since = result.TrustedSince is { } date ? $"{date.ToLocalTime():yyyy-MM-dd HH:mm}" : "last read";
        console.WriteLine(
            result.BytesTrusted == 0 ? $"{Units.Count(result.Release.Files, "file")}, {read}"
            : $"{Units.Count(result.Release.Files, "file")}: {read}, {Units.Number(result.FilesTrusted)} unchanged since {since} "
            + $"({Units.Bytes(result.BytesTrusted)})");
    }

    /// <summary>What a manifest calls itself.</summary>
    public static string Title(Manifest manifest) => Title(ReleaseFacts.Of(manifest));

    /// <summary>What a release calls itself.</summary>
    public static string Title(ReleaseFacts manifest) => manifest.Title;

    private List<Finding> Shown(List<Finding> findings) => ShowAll || findings.Count <= UsualRows + 2 ? findings : findings[..UsualRows];

    private void Group(FileState state, List<Finding> findings, List<Finding> shown, int width)
    {
        var colour = state switch { FileState.Stray => "grey", FileState.Miscased or FileState.WrongMode => "yellow", _ => "red" };
        console.WriteLine();
        var count = $"{Units.Count(findings.Count, "file"),-9}";
        console.MarkupLine($"  [{colour}]{FindingWords.Name(state),-11}[/] {count} {Escape(FindingWords.Sum(state, findings))}".TrimEnd());
        foreach (var finding in shown)
            console.WriteLine($"    {PathBytes.Shown(finding.Path).PadRight(width)}  {FindingWords.Evidence(finding)}".TrimEnd());
        if (shown.Count < findings.Count)
            console.WriteLine($"    ... and {Units.Number(findings.Count - shown.Count)} more; --all lists them");
    }

    private void Notes(VerifyResult result)
    {
        if (!result.ModesCompared)
            console.WriteLine("This file system keeps no permission bits, so they were not compared.");
        if (result.Release.WeakFiles is > 0 and var weak)
        {
            console.MarkupLineInterpolated(
                $"[yellow]Weak:[/] only sha-1 or md5 vouches for {Units.Count(weak, "file")}; bytes could have been forged.");
        }

        if (Format is { } format && format != ManifestFormat.Metalink)
            console.WriteLine($"The manifest is {format.Title()}{(LacksSizes ? ", which says nothing of sizes or modes" : "")}.");
        if (!result.IsIntact && !LacksSizes)
        {
            console.WriteLine(
                $"A repair would download {Units.Bytes(result.BytesToFetch)} and leave {Units.Bytes(result.BytesGood)} as it is.");
        }
    }

    private static string Escape(string text) => Markup.Escape(PathBytes.Shown(text));
}
