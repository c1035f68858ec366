using System.Text.Json;
using Mukta.Disk;

namespace Mukta.Manifests;

/// <summary>A release that an index lists.</summary>
/// <param name="Release">Its version for people.</param>
/// <param name="Sequence">Its sequence number.</param>
/// <param name="Channel">The channel that it is of, such as <c>stable</c>.</param>
/// <param name="Manifest">Where its manifest is, relative to the index or absolute; null if the profile's address tells.</param>
public sealed record IndexedRelease(string Release, long Sequence, string Channel, string? Manifest);

/// <summary>A product's releases, as its publisher lists them in a file (JSON, see docs/formats.md).</summary>
/// <param name="Product">The product.</param>
/// <param name="Expires">When the list stops being valid; null if it does not say.</param>
/// <param name="Releases">The releases, newest first.</param>
[OutsideReader]
public sealed record ReleaseIndex(string Product, DateTimeOffset? Expires, IReadOnlyList<IndexedRelease> Releases)
{
    /// <summary>What the document says it is.</summary>
    public const string Format = "mukta.releases/1";

    /// <summary>The channel of a release that names none, and of a profile that names none.</summary>
    public const string UsualChannel = "stable";

    /// <summary>The longest index that is read: 1 MiB.</summary>
    public const long Longest = 1 << 20;

    private const int MostReleases = 10_000, LongestText = 1000;

    /// <summary>The newest release of a channel; null if it has none.</summary>
    public IndexedRelease? Newest(string channel) => Releases.FirstOrDefault(r => r.Channel == channel);

    /// <summary>The release of a version; null if there is none.</summary>
    public IndexedRelease? Of(string release) => Releases.FirstOrDefault(r => r.Release == release);

    /// <summary>Reads an index.</summary>
    /// <param name="json">The document.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="MuktaException">It cannot be used.</exception>
    public static ReleaseIndex Parse(ReadOnlyMemory<byte> json, string source)
    {
        try
        {
            using var document = JsonDocument.Parse(json, new JsonDocumentOptions { MaxDepth = 8 });
            var root = document.RootElement;
            if (root.ValueKind != JsonValueKind.Object || Text(root, "format", source) != Format)
                throw Fault($"its \"format\" is not {Format}", source);
            var expires = root.TryGetProperty("expires", out var date) ? date.GetDateTimeOffset() : (DateTimeOffset?)null;
            var listed = root.GetProperty("releases");
            if (listed.GetArrayLength() is 0 or > MostReleases)
                throw Fault($"it lists none or more than {Units.Number(MostReleases)} releases", source);
            var releases = listed.EnumerateArray().Select(r => Entry(r, source)).OrderByDescending(r => r.Sequence).ToList();
            return releases.Select(r => r.Release).Distinct(StringComparer.Ordinal).Count() == releases.Count
                && releases.Select(r => r.Sequence).Distinct().Count() == releases.Count
                ? new ReleaseIndex(Text(root, "product", source), expires, releases)
                : throw Fault("two of its releases have one name or one number", source);
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException or KeyNotFoundException)
        {
            throw Fault(e is JsonException ? "it is not JSON" : "a member is missing, or is not what it should be", source, e);
        }
    }

    private static IndexedRelease Entry(JsonElement entry, string source)
    {
        var sequence = entry.GetProperty("sequence").GetInt64();
        return sequence >= 0
            ? new IndexedRelease(
                Text(entry, "release", source), sequence,
                entry.TryGetProperty("channel", out _) ? Text(entry, "channel", source) : UsualChannel,
                entry.TryGetProperty("manifest", out _) ? Text(entry, "manifest", source) : null)
            : throw Fault("a sequence number is below 0", source);
    }

    private static string Text(JsonElement element, string key, string source) =>
        element.GetProperty(key).GetString() is { Length: > 0 and <= LongestText } text ? text
        : throw Fault($"\"{key}\" is empty or too long", source);

    private static MuktaException Fault(string why, string source, Exception? inner = null) => new(
        ExitCode.BadInput, $"The index of releases cannot be used: {why}.", source,
        "Nothing was touched. Get it again from its publisher; if it stays like this, tell them.", inner);
}
