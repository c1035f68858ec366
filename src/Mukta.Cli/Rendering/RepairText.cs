using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Repair;
using Mukta.Verification;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A repair as a technician reads it: the plan with its cost before, what was done after.</summary>
internal sealed class RepairText(IAnsiConsole console, string install)
{
    private const int UsualRows = 8;
    private const int MostForWidth = 200;

    private int width;

    public bool ShowAll { get; init; }

    /// <summary>The plan: what will be done, what it costs, what can be lost.</summary>
    public void Plan(RepairPlan plan, VerifyResult before, IReadOnlyList<ISource> sources)
    {
        width = Columns.Width(plan.Steps.Take(MostForWidth).Select(s => s.Path));
        console.MarkupLine($"Plan for {Escape(VerifyText.Title(before.Manifest))} in {Escape(install)}");
        Steps("set permissions", plan.Steps.OfType<FixMode>(), f => $"{Units.Mode(f.From)} to {Units.Mode(f.To)}");
        Steps("rename", plan.Steps.OfType<FixCase>(), f => $"from {PathBytes.Shown(f.From)}");
        Steps(plan.Older is null ? "set strays aside" : "set aside what only the older release lists",
            plan.Steps.OfType<HoldAway>().Where(h => h.IsStray), h => Units.Bytes(h.Bytes));
        Steps("set aside what is in the way", plan.Steps.OfType<HoldAway>().Where(h => !h.IsStray), Obstacle);
        Steps("link", plan.Steps.OfType<PutLink>(), l => $"to {l.Link.Target}");
        Steps("overwrite damaged pieces in place", plan.Puts.Where(p => p.Way == PutWay.Patch),
            p => $"{Units.Bytes(p.BytesToFetch)} of {Units.Bytes(p.File.Size)}; their old bytes are kept");
        Steps("replace damaged parts", plan.Puts.Where(p => p.Replaces is not null && p is { IsFresh: false, Way: not PutWay.Patch }),
            p => $"{Units.Bytes(p.BytesToFetch)} of {Units.Bytes(p.File.Size)}");
        Steps("download again, as requested", plan.Puts.Where(p => p.IsFresh), p => Units.Bytes(p.BytesToFetch));
        Steps("download", plan.Puts.Where(p => p is { Replaces: null, IsFresh: false }), p => Units.Bytes(p.BytesToFetch));
        foreach (var open in plan.LeftOpen)
            console.MarkupLine($"  [yellow]left open[/]  {Escape(open.Path)}: {Escape(FindingWords.Evidence(open))}");
        console.WriteLine();
        if (plan.Older is { } older)
            console.WriteLine($"  {Way(older, before.Manifest),-11}  from {Version(older)} to {Version(before.Manifest)}");
        console.WriteLine($"  download     {Units.Bytes(plan.BytesToFetch)}{FetchWords.From(sources, plan.BytesToFetch)}");
        if (plan.BytesElsewhere > 0)
            console.WriteLine($"  here         {Units.Bytes(plan.BytesElsewhere)} of the needed bytes are on this machine already");
        console.WriteLine($"  disk space   up to {Units.Bytes(plan.ExtraSpace)} more");
        console.WriteLine($"  kept         {Units.Bytes(plan.BytesKept)}, in the install's {ManifestFolder} folder; nothing is deleted");
        var renewed = plan.Puts.Where(p => p.IsFresh && before.Proven.ContainsKey(p.Path)).Sum(p => p.File.Size);
        var strays = before.Strays.Count() - plan.Steps.OfType<HoldAway>().Count(h => h.IsStray);
        console.WriteLine(
            $"  untouched    {Units.Bytes(Math.Max(0, before.BytesGood - plan.BytesReused - renewed))} and {Units.Count(strays, "stray")}");
        console.WriteLine();
    }

    /// <summary>Whether it is right now, and what was done.</summary>
    public void Outcome(RepairOutcome outcome)
    {
        new VerifyText(console, install).Verdict(outcome.After);
        console.WriteLine($"{Units.Of(outcome.StepsDone, outcome.Plan.Steps.Count, "step")} done");
        foreach (var failure in outcome.Failures.Take(ShowAll ? int.MaxValue : UsualRows))
            console.MarkupLine($"  [red]not done[/]  {Escape(failure.Path)}: {Escape(failure.Reason)}");
        if (!ShowAll && outcome.Failures.Count > UsualRows)
            console.WriteLine($"  ... and {Units.Number(outcome.Failures.Count - UsualRows)} more; --all lists them");
        if (outcome.BytesElsewhere > 0)
            console.WriteLine($"  {Units.Bytes(outcome.BytesElsewhere)} from elsewhere on this machine");
        foreach (var source in outcome.Sources.Where(s => s.Bytes > 0 || s.BadPieces > 0 || s.Failures > 0 || s.HasChanged))
            console.WriteLine($"  {Units.Bytes(source.Bytes)} from {PathBytes.Shown(source.Name)}{Trouble(source)}");
        if (outcome.KeptAt is not null)
            console.WriteLine($"  old files kept in {PathBytes.Shown(Path.Join(install, outcome.KeptAt))}");
        if (outcome.Causes.Count > 0)
            console.WriteLine("\nLikely causes");
        foreach (var cause in outcome.Causes)
            console.MarkupLine($"  [bold]{CauseWords.Name(cause.Cause)}[/]\n    {Escape(cause.Evidence)}\n    {Escape(cause.Advice)}");
        console.WriteLine();
    }

    private static string Way(Manifest from, Manifest to) => from.Sequence > to.Sequence ? "go back" : "update";

    private static string Version(Manifest manifest) =>
        manifest.Release is { } version ? PathBytes.Shown(version)
        : manifest.Sequence is { } number ? $"release {number}" : "a release without a name";

    private static string ManifestFolder => ManifestPath.OwnFolder;

    private void Steps<T>(string verb, IEnumerable<T> steps, Func<T, string> detail)
        where T : RepairStep
    {
        var all = steps.ToList();
        if (all.Count == 0)
            return;
        console.MarkupLine($"  [bold]{verb}[/]{(all.Count > 1 ? $"  {Units.Count(all.Count, "file")}" : "")}");
        var shown = ShowAll || all.Count <= UsualRows + 2 ? all : all[..UsualRows];
        foreach (var step in shown)
            console.WriteLine($"    {PathBytes.Shown(step.Path).PadRight(width)}  {detail(step)}");
        if (shown.Count < all.Count)
            console.WriteLine($"    ... and {Units.Number(all.Count - shown.Count)} more; --all lists them");
    }

    private static string Obstacle(HoldAway hold) =>
        hold.Kind == NodeKind.Folder ? $"a folder with {Units.Count(hold.Files, "file")}, {Units.Bytes(hold.Bytes)}"
        : $"a {FindingWords.Name(hold.Kind)}, {Units.Bytes(hold.Bytes)}";

    private static string Trouble(SourceTally source)
    {
        var trouble = new List<string>();
        if (source.BadPieces > 0)
        {
            trouble.Add(
                $"{Units.Count(source.BadPieces, "corrupt piece")} rejected{(source.IsDropped ? " and the source dropped" : "")}");
        }

        if (source.Failures > 0)
            trouble.Add($"{Units.Count(source.Failures, "request")} failed");
        if (source.HasChanged)
            trouble.Add("its files changed meanwhile");
        return trouble.Count == 0 ? "" : $" ({string.Join(", ", trouble)})";
    }

    private static string Escape(string text) => Markup.Escape(PathBytes.Shown(text));
}
