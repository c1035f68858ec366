using Mukta.Disk;
using Mukta.Host.Caches;
using Mukta.Remedies;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.caches/1</c></summary>
internal sealed record CachesDocument(string Format, string Product, bool DryRun, int ExitCode, IReadOnlyList<CachePart> Caches)
{
    public string? Operation { get; init; }
}

/// <summary>A cache folder, or something temporary.</summary>
internal sealed record CachePart(string Name, string Path, string Kind, long Bytes, long Files, DateTimeOffset? LastUsed, string? Holds, bool MayBeCleared, string? Blocked)
{
    /// <summary>True once it is cleared; missing where that was not asked for.</summary>
    public bool? IsCleared { get; init; }

    public string? HeldAt { get; init; }

    public string? Failure { get; init; }

    public static CachePart Of(CacheFolder cache) => new(
        cache.Name, PathBytes.Shown(cache.Path), Rendering.FindingWords.Name(cache.Kind), cache.Size.Bytes, cache.Size.Files, Rendering.CacheText.LastUsed(cache), cache.Holds,
        cache.Blocked is null, cache.Blocked);

    public static CachePart Of(ClearedCache cleared) => Of(cleared.Cache) with
    {
        IsCleared = cleared.Failure is null,
        HeldAt = cleared.KeptAt is { } at ? PathBytes.Shown(at) : null,
        Failure = cleared.Failure is { } failure ? $"{failure.What} {failure.Where}" : null,
    };
}
