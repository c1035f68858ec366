using Mukta.Disk;
using Mukta.Host.Caches;
using Spectre.Console;

namespace Mukta.Cli.Rendering;

/// <summary>Caches as a technician reads them.</summary>
internal sealed class CacheText(IAnsiConsole console)
{
    public static DateTimeOffset? LastUsed(CacheFolder cache) =>
        cache.Size.LastUsedNs > 0 ? DateTimeOffset.UnixEpoch.AddTicks(cache.Size.LastUsedNs / TimeSpan.NanosecondsPerTick) : null;

    public void Write(IReadOnlyList<CacheFolder> caches)
    {
        foreach (var cache in caches)
        {
            console.MarkupLineInterpolated($"[bold]{cache.Name}[/]  {PathBytes.Shown(cache.Path)}");
            var what = cache.Kind == NodeKind.Folder ? Units.Count(cache.Size.Files, "file") : $"a {FindingWords.Name(cache.Kind)}{(cache.IsTemporary ? "" : ", not a folder")}";
            var used = LastUsed(cache) is { } at ? $", last used {at.ToLocalTime():yyyy-MM-dd HH:mm}" : "";
            console.WriteLine($"  {Units.Bytes(cache.Size.Bytes)} in {what}{used}{(cache.Size.Unreadable > 0 ? $", {Units.Count(cache.Size.Unreadable, "folder")} could not be listed" : "")}");
            if (cache.Holds is not null)
                console.WriteLine($"  holds {cache.Holds}");
            if (cache.Blocked is not null)
                console.WriteLine($"  stays: it {cache.Blocked}");
            if (!cache.IsWritable)
                console.MarkupLineInterpolated($"  [yellow]the player cannot write to it[/] (owner {cache.Owner})");
        }

        var open = caches.Where(c => c.Blocked is null).ToList();
        if (caches.Count > 0)
            console.WriteLine($"\nIn all {Units.Bytes(caches.Sum(c => c.Size.Bytes))} in {Units.Count(caches.Sum(c => c.Size.Files), "file")}; {Units.Bytes(open.Sum(c => c.Size.Bytes))} of it may be cleared.");
    }

    public void Cleared(IReadOnlyList<ClearedCache> cleared, bool forGood)
    {
        foreach (var one in cleared)
        {
            if (one.Failure is { } failure)
                console.MarkupLineInterpolated($"  [red]left[/]     {PathBytes.Shown(one.Cache.Path)}: {failure.What} {failure.Where}");
            else
                console.WriteLine($"  cleared  {PathBytes.Shown(one.Cache.Path)}, {Units.Bytes(one.Cache.Size.Bytes)}{(one.HeldAt is { } at ? $"\n           held at {PathBytes.Shown(at)}" : "")}");
        }

        var done = cleared.Where(c => c.Failure is null).ToList();
        console.WriteLine(forGood
            ? $"{Units.Bytes(done.Sum(c => c.Cache.Size.Bytes))} deleted for good."
            : $"{Units.Bytes(done.Sum(c => c.Cache.Size.Bytes))} moved to the held area.");
    }
}
