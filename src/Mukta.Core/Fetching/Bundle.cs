using System.Globalization;
using System.Text.Json;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Manifests.Formats;

namespace Mukta.Fetching;

/// <summary>
/// Pieces for machines without a network, on a stick: a bag (RFC 8493) with the manifests, what the bundle is for, and the pieces, each
/// once, one behind the other in files that any file system can hold (docs/formats.md). Whoever repairs from it proves every piece.
/// </summary>
[OutsideReader]
public sealed class Bundle : IDisposable
{
    internal const string Format = "mukta.bundle/1";
    internal const string Description = Bag.Payload + "/bundle.json", Index = Bag.Payload + "/pieces.txt";

    private const long LongestDescription = 16L << 20;

    private readonly Folder folder;
    private readonly Dictionary<PieceKey, long> offsets = [];
    private readonly List<(string Path, long Length)> parts = [];

    private Bundle(Folder folder) => this.folder = folder;

    /// <summary>Its folder.</summary>
    public string Path => folder.Path;

    /// <summary>What it holds something of.</summary>
    public IReadOnlyList<BundledRelease> Releases { get; private set; } = [];

    /// <summary>False if not everything that was asked for had room.</summary>
    public bool IsComplete { get; private set; }

    /// <summary>How many pieces it holds.</summary>
    public int Pieces => offsets.Count;

    /// <summary>Bytes of all pieces.</summary>
    public long Bytes { get; private set; }

    /// <summary>The name of a file of pieces, from 1.</summary>
    internal static string PartName(int number) => string.Create(CultureInfo.InvariantCulture, $"{Bag.Payload}/pieces-{number:0000}");

    /// <summary>True for a folder that says it is a bundle.</summary>
    public static bool IsAt(string path) => File.Exists(System.IO.Path.Join(path, Description)) && Bag.IsAt(path);

    /// <summary>Opens a bundle. Its bytes are not checked.</summary>
    /// <exception cref="MuktaException">It cannot be used.</exception>
    public static Bundle Open(string path)
    {
        var bundle = new Bundle(Folder.Open(path));
        try
        {
            bundle.ReadDescription();
            bundle.ReadIndex();
            return bundle;
        }
        catch (Exception e)
        {
            bundle.Dispose();
            if (e is DiskException or JsonException or InvalidOperationException or FormatException or KeyNotFoundException
                or OverflowException)
                throw bundle.Damaged(e is DiskException d ? d.Reason : "its description cannot be read", e);
            throw;
        }
    }

    /// <summary>The manifest of a product, as the bundle has it; null if it has none, or several.</summary>
    /// <param name="product">The product; null for any.</param>
    public string? ManifestOf(string? product) =>
        Releases.Where(r => product is null || r.Product == product).ToList() is [{ Manifest: var one }]
        ? System.IO.Path.Join(Path, Bag.Payload, one) : null;

    /// <summary>True if it holds a piece of a file.</summary>
    public bool Has(ManifestFile file, int piece) => offsets.ContainsKey(PieceKey.Of(file, piece));

    /// <summary>The bytes of pieces of a file that follow each other.</summary>
    /// <param name="file">The file.</param>
    /// <param name="first">The first piece.</param>
    /// <param name="count">How many; the bundle has them all.</param>
    internal Stream Read(ManifestFile file, int first, int count) => new PieceStream(
        this, [.. Enumerable.Range(first, count).Select(p => PieceKey.Of(file, p)).Select(k => (offsets[k], k.Length))]);

    /// <summary>Reads bytes out of the files of pieces, as if they were one.</summary>
    internal int Read(long offset, Span<byte> buffer)
    {
        var number = 0;
        while (number < parts.Count && offset >= parts[number].Length)
            offset -= parts[number++].Length;
        if (number == parts.Count)
            return 0;
        using var file = folder.OpenRead(parts[number].Path);
        return RandomAccess.Read(file, buffer[..(int)Math.Min(buffer.Length, parts[number].Length - offset)], offset);
    }

    /// <inheritdoc/>
    public void Dispose() => folder.Dispose();

    private void ReadDescription()
    {
        using var document = JsonDocument.Parse(folder.ReadAll(Description, LongestDescription), new JsonDocumentOptions { MaxDepth = 8 });
        var root = document.RootElement;
        if (root.GetProperty("format").GetString() != Format)
            throw Damaged($"its \"format\" is not {Format}");
        IsComplete = root.GetProperty("isComplete").GetBoolean();
        Releases = [.. root.GetProperty("releases").EnumerateArray().Select(Release)];
    }

    private BundledRelease Release(JsonElement release)
    {
        var manifest = release.GetProperty("manifest").GetString() ?? "";
        if (ManifestPath.Fault(manifest) is { } fault)
            throw Damaged($"the name of a manifest {fault}");
        return new BundledRelease(
            Text(release, "product"), Text(release, "release"),
            release.TryGetProperty("sequence", out var number) ? number.GetInt64() : null, manifest,
            release.GetProperty("isSigned").GetBoolean(),
            [.. release.GetProperty("for").EnumerateArray().Select(f => f.GetString() ?? "")], release.GetProperty("files").GetInt32(),
            release.GetProperty("bytes").GetInt64());
    }

    private static string? Text(JsonElement element, string key) => element.TryGetProperty(key, out var value) ? value.GetString() : null;

    private void ReadIndex()
    {
        for (var number = 1; folder.Look(PartName(number)) is { Kind: NodeKind.File } part; number++)
            parts.Add((PartName(number), part.Size));
        using var stream = folder.OpenStream(Index, MetalinkNames.LongestFile);
        var lines = new BoundedLines(stream, Index);
        while (lines.Next() is { } line)
        {
            if (line.Split(' ') is not [var digest, var text] || ChecksumList.OfLength(digest) is null
                || !long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var length)
                || length > MetalinkNames.MostBytes - Bytes || offsets.Count == MetalinkNames.MostPieces / 10
                || !offsets.TryAdd(new PieceKey(digest.ToLowerInvariant(), length), Bytes))
                throw Damaged($"line {lines.Number} of its list of pieces cannot be read");
            Bytes += length;
        }

        if (parts.Sum(p => p.Length) != Bytes)
            throw Damaged("its files of pieces do not have the lengths that its list says");
    }

    private MuktaException Damaged(string why, Exception? inner = null) => new(
        ExitCode.BadInput, $"The bundle cannot be used: {why}.", PathBytes.Shown(Path),
        "Nothing was touched. Copy the bundle again, or make it again with: mukta bundle make", inner);

    /// <summary>Pieces one behind the other.</summary>
    private sealed class PieceStream(Bundle bundle, IReadOnlyList<(long Offset, long Length)> ranges) : Stream
    {
        private int range;
        private long at;

        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => false;

        public override long Length => ranges.Sum(r => r.Length);

        public override long Position { get => throw new NotSupportedException(); set => throw new NotSupportedException(); }

        public override int Read(Span<byte> buffer)
        {
            while (range < ranges.Count && at == ranges[range].Length)
                (range, at) = (range + 1, 0);
            if (range == ranges.Count || buffer.IsEmpty)
                return 0;
            var got = bundle.Read(ranges[range].Offset + at, buffer[..(int)Math.Min(buffer.Length, ranges[range].Length - at)]);
            at += got;
            return got;
        }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override ValueTask<int> ReadAsync(Memory<byte> buffer, CancellationToken cancellationToken = default)
        {
            cancellationToken.ThrowIfCancellationRequested();
            return ValueTask.FromResult(Read(buffer.Span));
        }

        public override Task<int> ReadAsync(byte[] buffer, int offset, int count, CancellationToken cancellationToken) =>
            ReadAsync(buffer.AsMemory(offset, count), cancellationToken).AsTask();

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }
}
