using System.Text.Json;
using System.Text.Json.Serialization;
using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Manifests;
using Mukta.Repair.Damage;
using Mukta.Verification;

namespace Mukta.Cases;

/// <summary>What was seen of a product and its machine when a case was opened.</summary>
/// <param name="Taken">When, UTC.</param>
/// <param name="Machine">The machine.</param>
/// <param name="Products">The product, and then what it needs.</param>
public sealed record CaseSnapshot(DateTimeOffset Taken, MachineFacts Machine, IReadOnlyList<SeenProduct> Products)
{
    /// <summary>The product's files; null if they were not compared.</summary>
    public SeenFiles? Files { get; init; }

    /// <summary>As it is kept.</summary>
    public string ToJson() => JsonSerializer.Serialize(this, SnapshotJson.Default.CaseSnapshot);

    /// <summary>Reads what was kept; null for nothing, and for what cannot be read.</summary>
    public static CaseSnapshot? OfJson(string? text)
    {
        try
        {
            return text is null ? null : JsonSerializer.Deserialize(text, SnapshotJson.Default.CaseSnapshot);
        }
        catch (JsonException)
        {
            return null;
        }
    }
}

/// <summary>A product as a check has seen it. Verdicts and areas are in the words of JSON.</summary>
/// <param name="Product">Its id.</param>
/// <param name="Title">Its name.</param>
/// <param name="Release">The release of its manifest; null if that is not known.</param>
/// <param name="Install">Its install; null if there is none.</param>
/// <param name="Areas">What was checked.</param>
public sealed record SeenProduct(string Product, string Title, string? Release, string? Install, IReadOnlyList<SeenArea> Areas)
{
    /// <summary>As a check has it.</summary>
    public static SeenProduct Of(ProductCheck check) => new(
        check.Loaded.Profile.Product, check.Loaded.Profile.Title, check.Loaded.TryReadManifest().Manifest?.Release, check.Install,
        [
            .. check.Areas.Select(a => new SeenArea(
                Name(a.Area), Name(a.Verdict), a.Summary,
                [.. a.Findings.Select(f => new SeenFinding(Name(f.Verdict), PathBytes.Shown(f.Seen)))])),
        ]);

    private static string Name<T>(T value)
        where T : struct, Enum => value.ToString().ToLowerInvariant();
}

/// <summary>An area of a check.</summary>
/// <param name="Area">Which.</param>
/// <param name="Verdict">How it stands.</param>
/// <param name="Summary">What was checked, in a few words.</param>
/// <param name="Findings">What is not as it should be.</param>
public sealed record SeenArea(string Area, string Verdict, string Summary, IReadOnlyList<SeenFinding> Findings);

/// <summary>A finding of a check.</summary>
/// <param name="Verdict">How bad it is.</param>
/// <param name="Seen">What was seen.</param>
public sealed record SeenFinding(string Verdict, string Seen);

/// <summary>The files of an install, compared with its manifest.</summary>
/// <param name="Listed">Files and links that the manifest lists.</param>
/// <param name="Intact">Those that are as published.</param>
/// <param name="BytesGood">Listed bytes that are there and right.</param>
/// <param name="BytesToFetch">Bytes that a repair has to download.</param>
/// <param name="Damaged">What differs; at most <see cref="MostStrips"/>.</param>
/// <param name="Causes">What the damage looks like, in words.</param>
public sealed record SeenFiles(
    int Listed, int Intact, long BytesGood, long BytesToFetch, IReadOnlyList<FileStrip> Damaged, IReadOnlyList<string> Causes)
{
    /// <summary>So many files are told one by one.</summary>
    public const int MostStrips = 200;

    /// <summary>As a verification has them.</summary>
    /// <param name="result">The verification.</param>
    /// <param name="nameOf">A state in words.</param>
    /// <param name="wordsOf">A cause in words.</param>
    public static SeenFiles Of(VerifyResult result, Func<FileState, string> nameOf, Func<FoundCause, string> wordsOf)
    {
        var listed = result.Release.Files + result.Release.Links;
        var problems = result.Problems.ToList();
        return new SeenFiles(
            listed, Math.Max(0, listed - problems.Count), result.BytesGood, result.BytesToFetch,
            [.. problems.Take(MostStrips).Select(p => FileStrip.Of(p, nameOf(p.State)))],
            [.. problems.Count == 0 ? [] : DamageReading.Of(result).Select(wordsOf)]);
    }
}

/// <summary>A file as a strip of pieces.</summary>
/// <param name="Path">Relative to the install.</param>
/// <param name="State">What is wrong with it.</param>
/// <param name="Size">Its length as published, bytes; 0 if that is not known.</param>
/// <param name="Pieces">How many pieces it has, 1 or more.</param>
/// <param name="Bad">The pieces that are not as published.</param>
public sealed record FileStrip(string Path, string State, long Size, int Pieces, IReadOnlyList<PieceSpan> Bad)
{
    internal static FileStrip Of(Finding finding, string state)
    {
        var file = finding switch
        {
            Damaged damaged => damaged.File,
            Missing { Entry: ManifestFile missing } => missing,
            WrongKind { Entry: ManifestFile other } => other,
            Miscased miscased => miscased.File,
            WrongMode mode => mode.File,
            _ => null,
        };
        var pieces = Math.Max(1, file?.PieceCount ?? 1);
        IReadOnlyList<PieceSpan> bad = finding switch
        {
            Damaged damaged => [.. damaged.Bad.Select(b => new PieceSpan(b.FirstPiece, b.LastPiece))],
            Miscased or WrongMode => [],
            _ => [new PieceSpan(0, pieces - 1)],
        };
        return new FileStrip(PathBytes.Shown(finding.Path), state, file?.Size ?? 0, pieces, bad);
    }
}

/// <summary>Neighbouring pieces.</summary>
/// <param name="First">The number of the first, from 0.</param>
/// <param name="Last">The number of the last.</param>
public sealed record PieceSpan(int First, int Last);

[JsonSourceGenerationOptions(
    PropertyNamingPolicy = JsonKnownNamingPolicy.CamelCase, DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull)]
[JsonSerializable(typeof(CaseSnapshot))]
internal sealed partial class SnapshotJson : JsonSerializerContext;
