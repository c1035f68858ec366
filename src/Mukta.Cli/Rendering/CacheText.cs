using Mukta.Disk;
using Mukta.Host.Caches;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Caches as a technician reads them.</summary>
internal sealed class CacheText(IAnsiConsole console)
{
    /// <summary>The caches, one after the other.</summary>
    /// <param name="caches">The caches.</param>
    /// <param name="product">The product as it is typed.</param>
    public void Write(IReadOnlyList<CacheFolder> caches, string product)
    {
        foreach (var cache in caches)
        {
            console.MarkupLineInterpolated($"[bold]{cache.Name}[/]  {PathBytes.Shown(cache.Path)}");
            var what = cache.Kind == NodeKind.Folder ? Units.Count(cache.Size.Files, "file")
                : $"a {FindingWords.Name(cache.Kind)}{(cache.IsTemporary ? "" : ", not a folder")}";
            var used = cache.Size.LastUsed is { } at ? $", last used {at.ToLocalTime():yyyy-MM-dd HH:mm}" : "";
            console.WriteLine(
                $"  {Units.Bytes(cache.Size.Bytes)} in "
                + $"{what}{used}"
                + $"{(cache.Size.Unreadable > 0 ? $", {Units.Count(cache.Size.Unreadable, "folder")} could not be listed" : "")}");
            if (cache.Holds is not null)
                console.WriteLine($"  holds {cache.Holds}");
            if (cache.Blocked is not null)
                console.WriteLine($"  not clearable: it {cache.Blocked}");
            else if (cache.IsOnlyByName)
                console.WriteLine($"  cleared only by name: mukta caches clear {product} {Shell.Quoted(cache.Name)}");
            if (!cache.IsWritable)
                console.MarkupLineInterpolated($"  [yellow]the player cannot write to it[/] (owner {cache.Owner})");
        }

    }

    /// <summary>How much all of them hold.</summary>
    public void Sum(IReadOnlyList<CacheFolder> caches)
    {
        if (caches.Count == 0)
        {
            console.WriteLine("No cache folders or temporary files found.");
        }
        else
        {
            var open = caches.Where(c => c.IsClearedUnnamed).ToList();
            console.WriteLine(
                $"Total {Units.Bytes(caches.Sum(c => c.Size.Bytes))} in {Units.Count(caches.Sum(c => c.Size.Files), "file")}, "
                + $"{Clearable(caches.Sum(c => c.Size.Bytes), open.Sum(c => c.Size.Bytes))} clearable.");
        }
    }

    private static string Clearable(long all, long open) => all == open ? "all" : open == 0 ? "none" : Units.Bytes(open);

    public void Cleared(IReadOnlyList<ClearedCache> cleared, bool isPermanent, bool isQuiet)
    {
        var done = cleared.Where(c => c.Failure is null).ToList();
        var left = cleared.Count == done.Count ? "" : $", {Units.Count(cleared.Count - done.Count, "cache")} left";
        console.WriteLine($"{Units.Bytes(done.Sum(c => c.Cache.Size.Bytes))} {(isPermanent ? "deleted permanently" : "cleared")}{left}.");
        foreach (var (cache, keptAt, failure) in cleared.Where(c => !isQuiet || c.Failure is not null).OrderBy(c => c.Failure is null))
        {
            if (failure is not null)
                console.MarkupLineInterpolated($"  [red]left[/]     {PathBytes.Shown(cache.Path)}: {failure.What} {failure.Where}");
            else
            {
                console.WriteLine(
                    $"  cleared  {PathBytes.Shown(cache.Path)}, "
                    + $"{Units.Bytes(cache.Size.Bytes)}{(keptAt is null ? "" : $"\n           kept in {PathBytes.Shown(keptAt)}")}");
            }
        }
    }
}
