using System.Text.Json;
using Mukta.Disk;

namespace Mukta.Bundles;

/// <summary>A file of which a machine needs something.</summary>
/// <param name="Path">The file.</param>
/// <param name="Pieces">The first and last of pieces that are in a row, from 0; null for the whole file.</param>
/// <param name="Total">How many pieces the file has; null if not stated.</param>
public sealed record NeededFile(string Path, IReadOnlyList<(int First, int Last)>? Pieces, int? Total);

/// <summary>What a verification on another machine has found, as <c>verify --json</c> writes it.</summary>
/// <param name="Name">The file's name.</param>
/// <param name="Product">The product; null if the manifest did not say.</param>
/// <param name="Release">The release's version.</param>
/// <param name="Sequence">The release's number.</param>
/// <param name="Needs">What is needed.</param>
[OutsideReader]
public sealed record Findings(string Name, string? Product, string? Release, long? Sequence, IReadOnlyList<NeededFile> Needs)
{
    private const string Format = "mukta.verify/1";
    private const long Longest = 512L << 20;

    /// <summary>Reads a file of findings.</summary>
    /// <exception cref="MuktaException">It cannot be read, or is none.</exception>
    public static Findings Read(string file)
    {
        try
        {
            using var stream = InputFile.Open(file, Longest);
            using var document = JsonDocument.Parse(stream, new JsonDocumentOptions { MaxDepth = 32 });
            var root = document.RootElement;
            if (root.ValueKind != JsonValueKind.Object || root.GetProperty("format").GetString() != Format)
                throw Fault(file, $"its \"format\" is not {Format}");
            var release = root.GetProperty("release");
            return new Findings(
                Path.GetFileName(file), Text(release, "product"), Text(release, "version"),
                release.TryGetProperty("sequence", out var number) ? number.GetInt64() : null,
                [.. root.GetProperty("findings").EnumerateArray().Select(Need).OfType<NeededFile>()]);
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException or FormatException or KeyNotFoundException)
        {
            throw Fault(file, e is JsonException ? "it is not JSON" : "a member is missing, or is not what it should be", e);
        }
        catch (Exception e) when (e is DiskException or IOException or UnauthorizedAccessException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The findings cannot be opened.", file, "Check the path and that you may read the file.", e);
        }
    }

    private static NeededFile? Need(JsonElement finding)
    {
        var (path, state, kind) = (Text(finding, "path"), Text(finding, "state"), Text(finding, "kind"));
        if (path is null || kind != "file" || state is not ("missing" or "damaged" or "wrong-kind"))
            return null;
        if (!finding.TryGetProperty("pieces", out var pieces))
            return new NeededFile(path, null, null);
        return new NeededFile(
            path,
            [.. pieces.GetProperty("bad").EnumerateArray()
                .Select(b => (b.GetProperty("first").GetInt32() - 1, b.GetProperty("last").GetInt32() - 1))],
            pieces.GetProperty("total").GetInt32());
    }

    private static string? Text(JsonElement element, string key) => element.TryGetProperty(key, out var value) ? value.GetString() : null;

    private static MuktaException Fault(string file, string why, Exception? inner = null) => new(
        ExitCode.BadInput, $"The findings cannot be used: {why}.", file,
        "Write them on the other machine with: mukta verify PRODUCT --json > findings.json", inner);
}
