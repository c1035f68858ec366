using System.Text.Json;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Manifests.Signatures;
using Serilog;

namespace Mukta.Bundles;

/// <summary>What has become of a bundle.</summary>
/// <param name="Releases">What it holds something of.</param>
/// <param name="Bytes">Bytes of its pieces.</param>
/// <param name="Failures">Files that no source has delivered, with the reasons.</param>
/// <param name="Sources">What the sources have done.</param>
public sealed record MadeBundle(
    IReadOnlyList<BundledRelease> Releases, long Bytes, IReadOnlyList<(string Path, string Reason)> Failures,
    IReadOnlyList<SourceTally> Sources);

/// <summary>Makes a bundle: downloads its pieces, proves them, and writes them with the manifests into a bag.</summary>
/// <param name="time">For the downloads.</param>
/// <param name="log">Takes diagnostics.</param>
public sealed class BundleMaker(TimeProvider time, ILogger log)
{
    private const int FilesAtATime = 6, MostReasons = 5;
    private const string Staging = "staging", Manifests = Bag.Payload + "/manifests";

    /// <summary>What downloads keep to.</summary>
    public FetchLimits Limits { get; init; } = new();

    /// <summary>The longest file of pieces, in bytes.</summary>
    public long LongestPart { get; init; } = PieceWriter.UsualPart;

    /// <summary>Makes a bundle in a folder that is new or empty.</summary>
    /// <param name="plan">What goes into it.</param>
    /// <param name="path">The folder.</param>
    /// <param name="workFolder">A folder for what is being downloaded; it is empty again afterwards.</param>
    /// <param name="meter">Counts the bytes.</param>
    /// <param name="cancel">Ends it; nothing of it is left behind.</param>
    /// <exception cref="MuktaException">It cannot be written.</exception>
    public async Task<MadeBundle> MakeAsync(BundlePlan plan, string path, string workFolder, WorkMeter? meter, CancellationToken cancel)
    {
        RefuseUsed(path);
        Directory.CreateDirectory(path);
        Room.Prove(path, plan.Room, (plan.Wishes.Count * 2) + 20, "the bundle", "Choose another place, or add --fit for what has room.");
        using var into = Folder.Open(path);
        var written = new List<string>();
        try
        {
            return await FillAsync(plan, into, workFolder, written, meter, cancel).ConfigureAwait(false);
        }
        catch
        {
            foreach (var file in written.Where(f => into.Look(f) is { Kind: NodeKind.File }))
                into.RemoveFile(file);
            foreach (var folder in new[] { Manifests, Bag.Payload })
                into.TryRemoveEmptyFolder(folder);
            throw;
        }
    }

    private async Task<MadeBundle> FillAsync(
        BundlePlan plan, Folder into, string workFolder, List<string> written, WorkMeter? meter, CancellationToken cancel)
    {
        into.EnsureFolder(Manifests);
        using var writer = new PieceWriter(into, LongestPart, written);
        var (failures, have) = (new List<(string Path, string Reason)>(), new HashSet<PieceKey>());
        var tallies = await FetchAllAsync(plan, workFolder, new Taken(writer, have, failures), meter, cancel).ConfigureAwait(false);
        if (have.Count == 0)
        {
            throw new MuktaException(
                ExitCode.NoSource, "Nothing could be downloaded, so no bundle was made.",
                string.Join(
                    "\n", failures.Select(f => $"{PathBytes.Shown(f.Path)}: {f.Reason}").Order(StringComparer.Ordinal).Take(MostReasons)),
                "Name a mirror or a folder that has the release with --from.");
        }

        var releases = plan.Wishes.Select((w, i) => Bundled(w, i, plan, have)).ToList();
        var listed = writer.End().ToList();
        foreach (var (wish, release) in plan.Wishes.Zip(releases))
        {
            string[] endings = release.IsSigned ? ["", ManifestSignature.Extension] : [""];
            foreach (var ending in endings)
            {
                written.Add($"{Bag.Payload}/{release.Manifest}{ending}");
                listed.Add(Copied(into, wish.ManifestFile.Path + ending, release.Manifest + ending));
            }
        }

        written.AddRange([Bundle.Description, .. Bag.OwnFiles]);
        listed.Add(PieceWriter.Written(into, Bundle.Description, Description(releases, failures.Count == 0 && plan.LeftOut.Count == 0)));
        Bag.Write(into.Path, new Manifest { Files = listed }, []);
        FlushNames(into);
        return new MadeBundle(releases, have.Sum(k => k.Length), [.. failures.OrderBy(f => f.Path, StringComparer.Ordinal)], tallies);
    }

    /// <summary>Once the bundle is said to be done, the stick may be pulled out.</summary>
    private static void FlushNames(Folder bundle)
    {
        using var root = Folder.Open("/");
        var manifests = Path.Join(bundle.RealPath[1..], Manifests);
        root.Flush(manifests);
        root.FlushWayTo(manifests);
    }

    private async Task<List<SourceTally>> FetchAllAsync(
        BundlePlan plan, string workFolder, Taken taken, WorkMeter? meter, CancellationToken cancel)
    {
        Directory.CreateDirectory(Path.Join(workFolder, Staging));
        using var work = Folder.Open(workFolder);
        var tallies = new List<SourceTally>();
        try
        {
            meter?.Begin("fetching", plan.Bytes);
            foreach (var wish in plan.Wishes)
            {
                using var fetcher = new Fetcher(wish.Sources.Sources, Limits, time, meter, log);
                var parallel = new ParallelOptions { MaxDegreeOfParallelism = FilesAtATime, CancellationToken = cancel };
                await Parallel.ForEachAsync(
                    plan.Files.Where(f => f.Wish == wish), parallel,
                    async (file, token) => await FetchAsync(fetcher, file, work, taken, token).ConfigureAwait(false))
                    .ConfigureAwait(false);
                tallies.AddRange(fetcher.Tallies);
            }

            return tallies;
        }
        finally
        {
            Directory.Delete(Path.Join(workFolder, Staging), recursive: true);
        }
    }

    /// <summary>What has been brought so far; one thread at a time adds to it.</summary>
    private sealed record Taken(PieceWriter Writer, HashSet<PieceKey> Have, List<(string Path, string Reason)> Failures)
    {
        public Lock Turn { get; } = new();
    }

    private static async Task FetchAsync(Fetcher fetcher, BundledFile file, Folder work, Taken taken, CancellationToken cancel)
    {
        using var staged = StagedFile.Open(work, Staging, file.File, file.Ranges, cancel);
        var reason = await fetcher.FetchAsync(staged, cancel).ConfigureAwait(false);
        lock (taken.Turn)
        {
            if (reason is not null)
                taken.Failures.Add((file.File.Path, reason));
            else
            {
                foreach (var piece in file.Pieces)
                {
                    cancel.ThrowIfCancellationRequested();
                    taken.Writer.Append(staged.Handle, file.File, piece);
                    taken.Have.Add(PieceKey.Of(file.File, piece));
                }
            }
        }

        work.RemoveFile(staged.Path);
    }

    private static BundledRelease Bundled(BundleWish wish, int index, BundlePlan plan, HashSet<PieceKey> have)
    {
        var held = BundlePlan.Needed(wish).Select(n => n.Pieces.Select(p => PieceKey.Of(n.File, p)).Where(have.Contains).ToList())
            .Where(k => k.Count > 0).ToList();
        var isOnly = plan.Wishes.Count(w => w.Manifest.Product == wish.Manifest.Product) == 1;
        var name = $"manifests/{(isOnly && wish.Manifest.Product is { } product ? product : $"{index + 1}")}.meta4";
        return new BundledRelease(
            wish.Manifest.Product, wish.Manifest.Release, wish.Manifest.Sequence, name,
            File.Exists(wish.ManifestFile.Path + ManifestSignature.Extension), [.. wish.For.Select(f => f.Name)], held.Count,
            held.SelectMany(k => k).Sum(k => k.Length));
    }

    private static ManifestFile Copied(Folder into, string from, string to) => PieceWriter.Written(
        into, $"{Bag.Payload}/{to}", ManifestSignature.Bytes(from, ManifestSignature.LongestSigned, "The manifest cannot be opened."));

    private static byte[] Description(IReadOnlyList<BundledRelease> releases, bool isComplete)
    {
        using var stream = new MemoryStream();
        using (var json = new Utf8JsonWriter(stream, new JsonWriterOptions { Indented = true }))
        {
            json.WriteStartObject();
            json.WriteString("format", Bundle.Format);
            json.WriteBoolean("isComplete", isComplete);
            json.WriteStartArray("releases");
            foreach (var release in releases)
            {
                json.WriteStartObject();
                if (release.Product is not null)
                    json.WriteString("product", release.Product);
                if (release.Release is not null)
                    json.WriteString("release", release.Release);
                if (release.Sequence is { } number)
                    json.WriteNumber("sequence", number);
                json.WriteString("manifest", release.Manifest);
                json.WriteBoolean("isSigned", release.IsSigned);
                json.WriteStartArray("for");
                foreach (var findings in release.For)
                    json.WriteStringValue(findings);
                json.WriteEndArray();
                json.WriteNumber("files", release.Files);
                json.WriteNumber("bytes", release.Bytes);
                json.WriteEndObject();
            }

            json.WriteEndArray();
            json.WriteEndObject();
        }

        return stream.ToArray();
    }

    /// <summary>Refuses a folder that holds something.</summary>
    /// <exception cref="MuktaException">It does.</exception>
    public static void RefuseUsed(string path)
    {
        if (File.Exists(path) || (Directory.Exists(path) && Directory.EnumerateFileSystemEntries(path).Any()))
        {
            throw new MuktaException(
                ExitCode.BadInput, "This is not a new or an empty folder.", PathBytes.Shown(path), "Name another one with --out.");
        }
    }
}
