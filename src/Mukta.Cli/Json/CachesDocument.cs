using Mukta.Disk;
using Mukta.Host.Caches;
using Mukta.Remedies;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.caches/1</c></summary>
internal sealed record CachesDocument(int ExitCode, IReadOnlyList<ProductCachesPart> Products)
{
    [System.Text.Json.Serialization.JsonPropertyOrder(-1)]
    public string Format { get; } = "mukta.caches/1";
}

/// <summary>The caches of a product.</summary>
internal sealed record ProductCachesPart(string Product, string Title, IReadOnlyList<CachePart> Caches);

/// <summary><c>mukta.caches.clear/1</c></summary>
internal sealed record CachesClearDocument(string Format, string Product, bool IsDryRun, int ExitCode, IReadOnlyList<CachePart> Caches)
{
    public string? Operation { get; init; }
}

/// <summary>A cache folder, or something temporary.</summary>
internal sealed record CachePart
{
    public required string Name { get; init; }

    public required string Path { get; init; }

    public required string Kind { get; init; }

    public required long Bytes { get; init; }

    public required long Files { get; init; }

    public DateTimeOffset? LastUsed { get; init; }

    public string? Holds { get; init; }

    public required bool IsClearable { get; init; }

    public bool IsOnlyByName { get; init; }

    public string? Blocked { get; init; }

    /// <summary>True once it is cleared; missing if that was not asked for.</summary>
    public bool? IsCleared { get; init; }

    public string? KeptAt { get; init; }

    public string? Failure { get; init; }

    public static CachePart Of(CacheFolder cache) => new()
    {
        Name = cache.Name,
        Path = PathBytes.Shown(cache.Path),
        Kind = Rendering.FindingWords.Name(cache.Kind),
        Bytes = cache.Size.Bytes,
        Files = cache.Size.Files,
        LastUsed = cache.Size.LastUsed,
        Holds = cache.Holds,
        IsClearable = cache.Blocked is null,
        IsOnlyByName = cache.IsOnlyByName,
        Blocked = cache.Blocked,
    };

    public static CachePart Of(ClearedCache cleared) => Of(cleared.Cache) with
    {
        IsCleared = cleared.Failure is null,
        KeptAt = cleared.KeptAt is { } at ? PathBytes.Shown(at) : null,
        Failure = cleared.Failure is { } failure ? $"{failure.What} {failure.Where}" : null,
    };
}
