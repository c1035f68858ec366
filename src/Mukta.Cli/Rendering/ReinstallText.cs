using System.Globalization;
using Mukta.Disk;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Remedies;
using Mukta.UserData;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>A clean reinstall as a technician reads it: each step with its cost before, what was fetched and what was not after.</summary>
internal sealed class ReinstallText(IAnsiConsole console)
{
    private const int UsualRows = 8;

    private int number;

    /// <summary>What will be done, what it costs, what can be lost.</summary>
    public void Plan(ReinstallPlan plan)
    {
        var (targets, wish, left) = plan;
        if (left is not null)
        {
            console.WriteLine(string.Create(
                CultureInfo.InvariantCulture,
                $"Resuming operation {left.Header.Operation}, started {left.Header.Started.ToLocalTime():yyyy-MM-dd HH:mm}. "
                + $"Finished steps are not repeated."));
        }

        foreach (var target in targets)
            Plan(target, wish, left);
        var fetch = targets.Sum(t => t.Build.BytesToFetch);
        console.WriteLine();
        var fetching = targets.Where(t => t.Build.BytesToFetch > 0).ToList();
        if (fetching.Count < 2)
        {
            var sources = fetching.SelectMany(t => t.Sources).ToList();
            console.WriteLine($"  download     {Units.Bytes(fetch)}{FetchWords.From(sources, fetch)}");
        }
        else
        {
            console.WriteLine($"  download     {Units.Bytes(fetch)}");
            foreach (var target in fetching)
            {
                var bytes = target.Build.BytesToFetch;
                console.WriteLine($"               {target.Profile.Title}: {Units.Bytes(bytes)}{FetchWords.From(target.Sources, bytes)}");
            }
        }

        if (targets.Sum(t => t.BytesNotFetched) > 0)
            console.WriteLine($"  reused       {Units.Bytes(targets.Sum(t => t.BytesNotFetched))} that is already here");
        console.WriteLine(
            $"  disk space   up to {Units.Bytes(targets.Sum(t => t.Build.ExtraSpace + (t.UserData.Sum(u => u.Size.Bytes) * 2)))} "
            + $"more{(targets.Any(t => t.IsThere) ? ", until mukta operations purge frees the old install" : "")}");
        Lost(targets, wish);
        foreach (var (title, path) in plan.Stays.Take(UsualRows))
            console.WriteLine($"  untouched    {title} in {PathBytes.Shown(path)}");
        console.WriteLine();
    }

    /// <summary>What was done.</summary>
    public void Outcome(ReinstallOutcome outcome, bool isQuiet)
    {
        foreach (var done in outcome.Targets)
        {
            if (!isQuiet)
                console.WriteLine();
            new VerifyText(console, done.Target.Path).Verdict(done.After, isQuiet);
            if (isQuiet)
                continue;
            console.WriteLine(
                $"  {Units.Bytes(done.BytesFetched)} downloaded, "
                + $"{Units.Bytes(Math.Max(0, done.Target.Manifest.TotalSize - done.BytesFetched))} reused");
            if (done.Archive is not null)
                console.WriteLine($"  user data restored; the copy is kept in {PathBytes.Shown(done.Archive)}");
        }

        if (!isQuiet)
            console.WriteLine($"\nDone in {Units.Time(outcome.Elapsed)}.");
    }

    private void Plan(ReinstallTarget target, ReinstallWish wish, OperationRecord? left)
    {
        number = 0;
        if (!target.IsThere && left is null)
        {
            console.WriteLine(
                $"{target.Profile.Title} is not installed where its profile says. If it is elsewhere: mukta installs "
                + $"{target.Profile.Product} --search DIR");
        }

        var release = target.Manifest.Release is { } r ? $" {r}" : "";
        var what = target.IsThere ? "reinstall in" : "install in";
        console.MarkupLineInterpolated($"[bold]{target.Profile.Title}{PathBytes.Shown(release)}[/], {what} {PathBytes.Shown(target.Path)}");
        if (target.UserData.Count > 0 && !wish.DropsUserData)
        {
            Step("copy user data",
                $"{Units.Bytes(target.UserData.Sum(u => u.Size.Bytes))} in "
                + $"{Units.Count(target.UserData.Sum(u => u.Size.Files), "file")}, into a verified archive",
                target.UserData.Select(u => PathBytes.Shown(u.Path)));
        }

        if (target.Build.Steps.Count > 0)
        {
            Step("build new copy",
                $"{Units.Bytes(target.Manifest.TotalSize)}: {Units.Bytes(target.BytesNotFetched)} reused, "
                + $"{Units.Bytes(target.Build.BytesToFetch)} downloaded");
        }

        if (target.Profile.Services.Count > 0)
            Step("stop services", string.Join(", ", target.Profile.Services.Select(s => s.Unit)));
        if (target.RunsRemove)
            Step("vendor's uninstall", Setup(target.Profile.Setup!, "remove"));
        else if (target.RemoveSkipped is { } why)
            Step("vendor's uninstall", $"skipped: {why}; the old install is kept all the same");
        Step("swap in", target.IsThere ? "by one rename; the old install is kept" : "by one rename");
        if (target.Inside.Count > 0)
            Step("bring along", "what is inside and belongs to others", target.Inside.Select(PathBytes.Shown));
        if (target.UserData.Count > 0 && !wish.DropsUserData)
            Step("restore user data", "to where it was");
        Leftovers(target);
        if (target.RunsInstall)
            Step("vendor's install", Setup(target.Profile.Setup!, "install"));
        if (target.Profile.Services.Count > 0)
            Step("restore services", string.Join(", ", target.Profile.Services.Select(s => $"{s.Unit} {s.Startup}, {s.State}")));
        if (target.Profile.Shortcuts.Count > 0)
            Step("restore shortcuts", "as in the profile");
        Step("verify", "every byte");
    }

    private void Leftovers(ReinstallTarget target)
    {
        string Line(UserPlace l)
        {
            var used = l.Size.LastUsed is { } at ? $", last used {at.ToLocalTime():yyyy-MM-dd}" : "";
            var stays = l.Blocked is { } why ? $"\n          untouched: it {why}" : "";
            return $"{PathBytes.Shown(l.Path)}\n          {Units.Bytes(l.Size.Bytes)}{used}; {l.Why}{stays}";
        }

        if (target.Leftovers.Any(l => l.Blocked is null))
        {
            Step("set aside", $"{Units.Bytes(target.Leftovers.Where(l => l.Blocked is null).Sum(l => l.Size.Bytes))}",
                target.Leftovers.Where(l => l.Blocked is null).Select(Line));
        }

        if (target.Leftovers.Any(l => l.Blocked is not null))
            Rows(target.Leftovers.Where(l => l.Blocked is not null).Select(Line));
    }

    private void Lost(IReadOnlyList<ReinstallTarget> targets, ReinstallWish wish)
    {
        foreach (var place in wish.DropsUserData ? targets.SelectMany(t => t.UserData) : [])
        {
            var size = $"{Units.Bytes(place.Size.Bytes)} in {Units.Count(place.Size.Files, "file")}";
            console.MarkupLineInterpolated($"  [red]not restored[/] {PathBytes.Shown(place.Path)}, {size} of user data");
        }

        var strays = targets.Sum(t => t.Before?.Strays.Count() ?? 0);
        if (strays > 0)
        {
            console.WriteLine(
                $"  strays       {Units.Count(strays, "file")} kept with the old install"
                + (wish.DropsUserData ? "" : "; user data among them is restored"));
        }

        Rows(targets.SelectMany(t => t.Before?.Strays.Select(s => PathBytes.Shown(s.Path)) ?? []));
        console.WriteLine(wish.DropsUserData && targets.Any(t => t.UserData.Count > 0)
            ? "  kept         what is removed, user data too; mukta undo restores it"
            : "  lost         nothing: what is removed is kept; mukta undo restores it");
        if (targets.Any(t => t.RunsInstall || t.RunsRemove))
            console.WriteLine("               (except what the vendor's setup changes elsewhere)");
    }

    private void Step(string name, string detail, IEnumerable<string>? rows = null)
    {
        console.MarkupLineInterpolated($"  {++number,2}  [bold]{name,-18}[/] {detail}");
        Rows(rows ?? []);
    }

    private void Rows(IEnumerable<string> rows)
    {
        var all = rows.ToList();
        foreach (var row in all.Take(UsualRows))
            console.WriteLine($"        {row}");
        if (all.Count > UsualRows)
            console.WriteLine($"        ... and {Units.Number(all.Count - UsualRows)} more; --json lists them");
    }

    private static string Setup(SetupProgram setup, string action) =>
        $"{setup.Program} {string.Join(' ', setup.Actions[action].Arguments.Select(Shell.Quoted))}, at most "
        + $"{Units.Time(setup.Actions[action].TimeLimit)}";
}
