using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Caches;

/// <summary>What is wrong with a product's caches. Pure.</summary>
public static class CacheFindings
{
    /// <summary>Looks for what keeps a product from using its caches.</summary>
    public static IEnumerable<CheckFinding> Of(IReadOnlyList<CacheFolder> caches)
    {
        foreach (var cache in caches.Where(c => !c.IsTemporary))
        {
            var shown = PathBytes.Shown(cache.Path);
            if (cache.Kind is NodeKind.File or NodeKind.Special)
            {
                yield return new CheckFinding(
                    FindingKind.CacheWrongKind, Verdict.Bad, cache.Name,
                    $"a {(cache.Kind == NodeKind.File ? "file" : "device or socket")} is in the cache folder's place: {shown}",
                    Remedy.ClearCache);
            }
            else if (!cache.IsWritable)
            {
                yield return new CheckFinding(
                    FindingKind.CacheNotWritable, Verdict.Bad, cache.Name, $"the player cannot write to {shown} (owner {cache.Owner})",
                    Advice: "give the folder back to the player with chown and chmod u+rwx");
            }
            else if (cache.Size.Unreadable > 0)
            {
                yield return new CheckFinding(
                    FindingKind.CacheUnreadable, Verdict.Unknown, cache.Name, $"parts of {shown} cannot be listed", Remedy.LookAsRoot);
            }
        }

        if (caches.Where(c => c.IsTemporary && c.Blocked is null).ToList() is { Count: > 0 } temporary)
        {
            var bytes = temporary.Sum(t => t.Size.Bytes);
            yield return new CheckFinding(
                FindingKind.PartialDownloads, Verdict.Warning, CacheFolder.Temporary,
                $"partly downloaded or temporary files: {Units.Bytes(bytes)} in {Units.Count(temporary.Count, "place")}",
                Remedy.ClearTemporary);
        }
    }
}
