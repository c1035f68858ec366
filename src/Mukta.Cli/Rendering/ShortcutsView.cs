using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Host.Shortcuts;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Shortcuts that are restored.</summary>
internal sealed class ShortcutsView(Session session, Product product, string install) : RemedyView<ShortcutsPlan, ShortcutsOutcome>
{
    private string Title => product.Profile.Title;

    /// <summary>The shortcuts, with what is wrong with each.</summary>
    public void Show(IReadOnlyList<Shortcut> entries)
    {
        foreach (var entry in entries)
        {
            var findings = ShortcutFindings.Of([entry]).ToList();
            session.Output.MarkupLineInterpolated(
                $"[bold]{PathBytes.Shown(entry.Path)}[/]  {(findings.Count == 0 ? "ok" : "differs from the profile")}");
            if (entry.Entry?.Get("Exec") is { } exec)
                session.Output.WriteLine($"  starts  {PathBytes.Shown(exec)}");
            foreach (var finding in findings)
                session.Output.WriteLine($"  wrong   {finding.Seen}");
        }
    }

    public override void Plan(ShortcutsPlan plan, bool isResumed)
    {
        Show(plan.Entries);
        session.Output.MarkupLine("\n[bold]Plan[/]");
        foreach (var change in plan.Changes)
        {
            session.Output.WriteLine(
                $"  {(change.Text is null ? "set aside" : change.Entry.Entry is null ? "make" : "change")}  "
                + $"{PathBytes.Shown(change.Entry.Path)}");
            var old = change.Entry.Entry?.Text.Split('\n') ?? [];
            foreach (var line in (change.Text ?? "").Split('\n').Where(l => l.Length > 0).Except(old))
                session.Output.WriteLine($"    with  {PathBytes.Shown(line)}");
        }
    }

    public override string Question(ShortcutsPlan plan) => $"Restore {Units.Count(plan.Changes.Count, "shortcut")} of {Title}?";

    public override void Outcome(ShortcutsPlan plan, ShortcutsOutcome outcome, bool isQuiet)
    {
        session.Output.WriteLine(
            outcome.Code == ExitCode.Done ? $"{Units.Count(outcome.Changed.Count, "shortcut")} restored; the old files are kept."
            : "Not all shortcuts could be restored.");
        foreach (var failed in outcome.Changed.Where(c => c.Failure is not null))
            session.Output.MarkupLineInterpolated($"  [red]failed[/]  {PathBytes.Shown(failed.Change.Entry.Path)}: {failed.Failure!.What}");
    }

    public override void NothingToDo(ShortcutsPlan plan, bool isQuiet)
    {
        if (!isQuiet)
            Show(plan.Entries);
        session.Output.WriteLine(plan.Entries.Count == 0 ? $"The profile of {Title} names no shortcuts." : "Nothing to restore.");
    }

    public override void Write(ShortcutsPlan plan, ShortcutsOutcome? outcome, bool isDryRun, ExitCode code) => Session.Write(
        new ShortcutsRestoreDocument(
        "mukta.shortcuts.restore/1", product.Profile.Product, PathBytes.Shown(install), isDryRun, (int)code,
        [.. (outcome?.After ?? plan.Entries).Select(e => ShortcutPart.Of(e, Title))])
        {
            Operation = outcome?.Operation,
        },
        Documents.Readable.ShortcutsRestoreDocument);
}
