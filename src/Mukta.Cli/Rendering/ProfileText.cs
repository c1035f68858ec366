using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Profiles as a person reads them.</summary>
internal sealed class ProfileText(IAnsiConsole console)
{
    public void Write(IReadOnlyList<LoadedProfile> profiles)
    {
        foreach (var (profile, file) in profiles)
        {
            console.MarkupLineInterpolated($"[bold]{profile.Product}[/]  {profile.Title}, {KindName(profile.Kind)}");
            Line("profile", file);
            Line("needs", string.Join(", ", profile.Needs));
            Line("found in",
                string.Join("\n", profile.Installs.Places.Select(p => p.Text + (profile.Installs.FolderPerRelease ? "/RELEASE" : ""))));
            Line("manifest", profile.Manifest?.Location ?? "");
            Line("components", string.Join(", ", profile.Components.Keys));
            Line("processes", string.Join(", ", profile.Processes));
            Line("services", string.Join("\n", profile.Services.Select(s => $"{s.Unit}, {s.Startup} and {s.State}")));
            Line("caches", string.Join("\n", profile.Caches.Select(Cache)));
            Line("conflicts", string.Join(
                "\n", profile.Conflicts.Select(c => $"{c.Name}: {string.Join(", ", c.Units.Concat(c.Processes))}")));
            Line("user data", string.Join("\n", profile.UserData.Select(p => p.Text)));
            Line("setup", profile.Setup is { } setup ? $"{setup.Program}: {string.Join(", ", setup.Actions.Keys)}" : "");
            Line("codes", string.Join("\n", profile.Codes.Select(c => $"{c.Code}: {Disk.PathBytes.Shown(c.Means)}")));
            Line("ladder", string.Join(", ", profile.Ladder.Select(r => r.Id)));
            Line("outages", profile.Outage?.AbsoluteUri ?? "");
        }
    }

    /// <summary>What the paths of a profile stand for on this machine, what matches nothing first.</summary>
    public void Write(IReadOnlyList<TriedPath> tried)
    {
        var missing = tried.Where(t => t.IsMissing).ToList();
        console.WriteLine(missing.Count == 0 ? $"    Each of {Units.Count(tried.Count, "path")} matches something here."
            : $"    {Units.Of(missing.Count, tried.Count, "path")} {(missing.Count == 1 ? "matches" : "match")} nothing here.");
        var width = Columns.Width(tried.Select(t => t.Written));
        foreach (var path in missing.Concat(tried.Where(t => !t.IsMissing)))
        {
            var found = path.IsMissing ? "nothing"
                : path.Found.Count > 1 ? $"{Units.Count(path.Found.Count, "match", "matches")}, {Size(path)}" : Size(path);
            console.WriteLine($"    {path.Key,-20} {path.Written.PadRight(width)}  {found}");
        }
    }

    private static string Size(TriedPath path) =>
        path.Files == 0 ? "empty" : $"{Units.Count(path.Files, "file")}, {Units.Bytes(path.Bytes)}";

    /// <summary>A kind as profiles write it.</summary>
    public static string KindName(ProductKind kind) => kind == ProductKind.AntiCheat ? "anti-cheat" : kind.ToString().ToLowerInvariant();

    private static string Cache(CachePlaces cache)
    {
        var clearing = cache.Clearing switch
        {
            CacheClearing.ByName => ", cleared only by name",
            CacheClearing.Never => ", not to be cleared",
            _ => "",
        };
        return $"{cache.Name}: {string.Join(", ", cache.Places.Select(p => p.Text))}{clearing}";
    }

    private void Line(string name, string text)
    {
        foreach (var (line, i) in text.Split('\n', StringSplitOptions.RemoveEmptyEntries).Select((l, i) => (l, i)))
            console.WriteLine($"  {(i == 0 ? name : ""),-12} {line}");
    }
}
