using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest compare</c></summary>
internal static class ManifestCompareCommand
{
    private const int UsualRows = 10;

    private const string Examples = """
          mukta manifest compare gannet-post-1.4.2.meta4 gannet-post-1.5.0.meta4
          mukta manifest compare gannet-post-1.4.2.meta4 gannet-post-1.5.0.meta4 --json
        """;

    public static Command Build()
    {
        var old = new Argument<string>("OLD") { Description = "The manifest of the older release." };
        var newer = new Argument<string>("NEW") { Description = "The manifest of the newer release." };
        var all = new Option<bool>("--all") { Description = "List every file." };
        var command = new ExampleCommand(
            "compare",
            "Show what changes between two releases, and what an update downloads at most.", Examples)
        {
            old,
            newer,
            all,
        };
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var (before, after) =
                (ManifestReader.ReadFile(StandardInput.FileOf(parsed.GetRequiredValue(old))),
                ManifestReader.ReadFile(StandardInput.FileOf(parsed.GetRequiredValue(newer))));
            var comparison = ManifestComparison.Of(before, after);
            if (session.IsJson)
                Session.Write(CompareDocument.Of(before, after, comparison), Documents.Readable.CompareDocument);
            else
                Write(session, before, after, comparison, parsed.GetValue(all) ? int.MaxValue : UsualRows);
            return (int)ExitCode.Done;
        });
        return command;
    }

    private static void Write(Session session, Manifest before, Manifest after, ManifestComparison found, int most)
    {
        session.Output.WriteLine($"{VerifyText.Title(before)} to {VerifyText.Title(after)}");
        if (!session.IsQuiet)
        {
            Rows(session, "added", found.Added, f => f.Path, f => Units.Bytes(f.Size), most);
            Rows(session, "changed", found.Changed, c => c.New.Path,
                c => $"{Units.Bytes(c.BytesToFetch)} of {Units.Bytes(c.New.Size)} are new", most);
            Rows(session, "removed", found.Removed, f => f.Path, f => Units.Bytes(f.Size), most);
        }

        session.Output.WriteLine(
            $"{Units.Count(found.Added.Count, "file")} added, {found.Changed.Count} changed, {found.Removed.Count} "
            + $"removed{(found.LinksChanged > 0 ? $", {Units.Count(found.LinksChanged, "link")} changed" : "")}"
            + $"{(found.ModesChanged > 0 ? $", {Units.Count(found.ModesChanged, "mode")} changed" : "")}.");
        session.Output.WriteLine($"An update downloads at most {Units.Bytes(found.BytesToFetch)} of {Units.Bytes(after.TotalSize)}.");
    }

    private static void Rows<T>(Session session, string what, IReadOnlyList<T> rows, Func<T, string> path, Func<T, string> detail, int most)
    {
        if (rows.Count == 0)
            return;
        session.Output.MarkupLineInterpolated($"  [bold]{what}[/]");
        var width = Rendering.Columns.Width(rows.Take(200).Select(path));
        foreach (var row in rows.Take(most))
            session.Output.WriteLine($"    {PathBytes.Shown(path(row)).PadRight(width)}  {detail(row)}");
        if (rows.Count > most)
            session.Output.WriteLine($"    ... and {Units.Number(rows.Count - most)} more; --all lists them");
    }
}
