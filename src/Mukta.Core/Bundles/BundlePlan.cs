using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Bundles;

/// <summary>A release of which a bundle is to hold something.</summary>
/// <param name="ManifestFile">Its manifest.</param>
/// <param name="Sources">Where its bytes come from.</param>
/// <param name="For">What machines have found; none for the whole release.</param>
public sealed record BundleWish(LazyManifest ManifestFile, SourceList Sources, IReadOnlyList<Findings> For)
{
    /// <summary>The manifest.</summary>
    public Manifest Manifest => ManifestFile.Value;
}

/// <summary>A file of which pieces go into a bundle.</summary>
/// <param name="Wish">The release that it is of.</param>
/// <param name="File">The file.</param>
/// <param name="Pieces">The pieces that no file before has brought already.</param>
public sealed record BundledFile(BundleWish Wish, ManifestFile File, IReadOnlyList<int> Pieces)
{
    /// <summary>Bytes of the pieces.</summary>
    public long Bytes => Pieces.Sum(p => File.RangeOf(p).Length);

    /// <summary>The pieces as ranges.</summary>
    internal IReadOnlyList<BadRange> Ranges => [.. Pieces.Select(p => new BadRange(p, p, File.RangeOf(p).Offset, File.RangeOf(p).Length))];
}

/// <summary>What goes into a bundle, and the room that it needs.</summary>
public sealed record BundlePlan
{
    /// <summary>Room for manifests and lists, beside the pieces.</summary>
    private const long BytesOfNames = 100;

    /// <summary>The releases.</summary>
    public required IReadOnlyList<BundleWish> Wishes { get; init; }

    /// <summary>The files that bring pieces, in their order.</summary>
    public required IReadOnlyList<BundledFile> Files { get; init; }

    /// <summary>Files that had no room; none where everything has.</summary>
    public IReadOnlyList<BundledFile> LeftOut { get; init; } = [];

    /// <summary>Bytes of all pieces, each counted once.</summary>
    public long Bytes => Files.Sum(f => f.Bytes);

    /// <summary>Bytes on the stick, with manifests and lists.</summary>
    public long Room => Bytes + Wishes.Sum(w => w.ManifestFile.Path is var path && File.Exists(path) ? new FileInfo(path).Length : 0)
        + (Files.Sum(f => (long)f.Pieces.Count) * BytesOfNames);

    /// <summary>Makes the plan. Pure, but for the lengths of the manifests' files.</summary>
    /// <exception cref="MuktaException">Findings are of another release than the manifest, or name what it does not list.</exception>
    public static BundlePlan For(IReadOnlyList<BundleWish> wishes)
    {
        var (files, taken) = (new List<BundledFile>(), new HashSet<PieceKey>());
        foreach (var wish in wishes)
        {
            wish.Manifest.RefuseWithoutSizes(wish.ManifestFile.Source ?? wish.ManifestFile.Path);
            foreach (var (file, pieces) in Needed(wish))
            {
                List<int> fresh = [.. pieces.Where(p => taken.Add(PieceKey.Of(file, p)))];
                if (fresh.Count > 0)
                    files.Add(new BundledFile(wish, file, fresh));
            }
        }

        return new BundlePlan { Wishes = wishes, Files = files };
    }

    /// <summary>As much of the plan as has room: file by file, in their order.</summary>
    public BundlePlan Fitting(long free)
    {
        var (left, within, without) = (free - (Room - Bytes), new List<BundledFile>(), new List<BundledFile>());
        foreach (var file in Files)
        {
            if (file.Bytes <= left)
            {
                left -= file.Bytes;
                within.Add(file);
            }
            else
                without.Add(file);
        }

        return this with { Files = within, LeftOut = without };
    }

    /// <summary>What is needed of a release: its files, each with its pieces.</summary>
    internal static IEnumerable<(ManifestFile File, IEnumerable<int> Pieces)> Needed(BundleWish wish)
    {
        if (wish.For.Count == 0)
            return wish.Manifest.Files.Select(f => (f, Enumerable.Range(0, f.PieceCount)));
        var listed = wish.Manifest.Files.ToDictionary(f => f.Path, StringComparer.Ordinal);
        var needed = new SortedDictionary<string, SortedSet<int>>(StringComparer.Ordinal);
        foreach (var findings in wish.For)
        {
            RefuseOther(findings, wish.Manifest);
            foreach (var need in findings.Needs)
            {
                if (listed.GetValueOrDefault(need.Path) is not { } file || (need.Total is { } total && total != file.PieceCount)
                    || need.Pieces?.Any(p => p.First < 0 || p.Last < p.First || p.Last >= file.PieceCount) == true)
                    throw Unfit(findings, $"The manifest lists {PathBytes.Shown(need.Path)} otherwise than the findings, or not at all.");
                if (!needed.TryGetValue(need.Path, out var pieces))
                    needed.Add(need.Path, pieces = []);
                foreach (var (first, last) in need.Pieces ?? [(0, file.PieceCount - 1)])
                    pieces.UnionWith(Enumerable.Range(first, last - first + 1));
            }
        }

        return needed.Select(n => (listed[n.Key], n.Value.AsEnumerable()));
    }

    private static void RefuseOther(Findings findings, Manifest manifest)
    {
        if (findings.Product != manifest.Product || findings.Release != manifest.Release || findings.Sequence != manifest.Sequence)
        {
            throw Unfit(
                findings, "The findings are of another release than the manifest, which is of "
                + $"{PathBytes.Shown(ReleaseFacts.Of(manifest).Title)}.");
        }
    }

    private static MuktaException Unfit(Findings findings, string what) => new(
        ExitCode.BadInput, what, PathBytes.Shown(findings.Name),
        "Name the manifest that the other machine was verified against with --manifest, or verify it again.");
}
