using Mukta.Bundles;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Verification;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A bundle as a technician reads it.</summary>
internal sealed class BundleText(Session session)
{
    private const int MostRows = 8;

    private readonly IAnsiConsole console = session.Output;

    /// <summary>What goes into a bundle, and what that costs.</summary>
    public void Plan(BundlePlan plan, string to)
    {
        console.MarkupLine($"Plan for a bundle in {Escape(to)}");
        foreach (var wish in plan.Wishes)
        {
            var files = plan.Files.Where(f => f.Wish == wish).ToList();
            console.MarkupLine($"  [bold]{Escape(VerifyText.Title(wish.Manifest))}[/]");
            var (pieces, bytes) = (files.Sum(f => f.Pieces.Count), files.Sum(f => f.Bytes));
            console.WriteLine($"    for        {For(wish.For.Select(f => f.Name))}");
            console.WriteLine($"    takes      {Units.Count(pieces, "piece")} of {Units.Count(files.Count, "file")}");
            console.WriteLine($"    download   {Units.Bytes(bytes)}{FetchWords.From(wish.Sources.Sources, bytes)}");
        }

        console.WriteLine($"  room         {Units.Bytes(plan.Room)}");
        Rows("no room for", plan.LeftOut.Select(f => (f.File.Path, Units.Bytes(f.Bytes))));
        console.WriteLine();
    }

    /// <summary>What has become of it.</summary>
    public void Made(BundlePlan plan, MadeBundle made, string to)
    {
        var isWhole = made.Failures.Count == 0 && plan.LeftOut.Count == 0;
        var verdict = isWhole ? "[green]Bundle made[/]" : "[red]Bundle made in part[/]";
        console.MarkupLine($"{verdict}: {Units.Bytes(made.Bytes)} in {Escape(to)}");
        if (session.IsQuiet)
            return;
        Rows("not downloaded", made.Failures);
        console.WriteLine();
        session.Next(Repair(made.Releases, to));
    }

    /// <summary>What a bundle is for, and its state.</summary>
    public void Write(Bundle bundle, VerifyResult found)
    {
        var verdict = !found.IsIntact ? "[red]Damaged bundle[/]" : bundle.IsComplete ? "[green]Sound bundle[/]"
            : "[yellow]Sound bundle, in part[/]";
        console.MarkupLine($"{verdict}: {Units.Count(bundle.Pieces, "piece")}, {Units.Bytes(bundle.Bytes)} in {Escape(bundle.Path)}");
        if (session.IsQuiet)
            return;
        foreach (var release in bundle.Releases)
        {
            console.MarkupLine($"  [bold]{Escape(release.Title)}[/]{(release.IsSigned ? ", signed" : "")}");
            console.WriteLine($"    for        {For(release.For)}");
            console.WriteLine($"    holds      {Units.Bytes(release.Bytes)} of {Units.Count(release.Files, "file")}");
        }

        Rows("not as it was made", found.Problems.Select(p => (p.Path, FindingWords.Evidence(p))));
        console.WriteLine();
        if (found.IsIntact)
            session.Next(Repair(bundle.Releases, bundle.Path));
        else
            console.WriteLine("Copy the bundle again, or make it again with: mukta bundle make");
    }

    private static string For(IEnumerable<string> findings) =>
        string.Join(", ", findings.Select(PathBytes.Shown)) is { Length: > 0 } names ? names : "the whole release";

    private static string Repair(IReadOnlyList<BundledRelease> releases, string from) =>
        $"mukta repair {(releases is [{ Product: { } product }] ? product : "PRODUCT")} --from {Shell.Quoted(from)}";

    private void Rows(string what, IEnumerable<(string Path, string Detail)> rows)
    {
        var all = rows.ToList();
        if (all.Count == 0)
            return;
        console.MarkupLine($"  [bold]{what}[/]  {Units.Count(all.Count, "file")}");
        var width = Columns.Width(all.Take(MostRows).Select(r => r.Path));
        foreach (var (path, detail) in all.Take(MostRows))
            console.WriteLine($"    {PathBytes.Shown(path).PadRight(width)}  {PathBytes.Shown(detail)}".TrimEnd());
        if (all.Count > MostRows)
            console.WriteLine($"    ... and {Units.Number(all.Count - MostRows)} more");
    }

    private static string Escape(string text) => Markup.Escape(PathBytes.Shown(text));
}
