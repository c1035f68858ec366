using System.Buffers;
using System.Security.Cryptography;
using System.Xml;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests.Formats;

namespace Mukta.Manifests;

/// <summary>
/// Reads a manifest from Metalink 4 (RFC 5854), one element at a time. Elements that Mukta does not know are passed
/// over, as section 5.1 asks; what it does know has to be right, or the manifest is refused whole.
/// </summary>
[OutsideReader]
public sealed class MetalinkReader
{
    /// <summary>From this length on a manifest is read by two cores.</summary>
    private const long WorthHalving = 8L << 20;

    private readonly MetalinkCursor at;
    private readonly List<ManifestFile> files = [];
    private readonly List<ManifestLink> links = [];
    private readonly List<MirrorUrl> bases = [];
    private readonly EntryNames names;
    private readonly FileSoFar now = new();
    private readonly ArrayBufferWriter<byte> digests = new();
    private readonly Func<bool> readFileChild, readPiece;
    private HashKind pieceKind;
    private string? product, release;
    private long? sequence;
    private long bytes;
    private DateTimeOffset? expires;
    private long pieceTotal;

    private MetalinkReader(MetalinkCursor at)
    {
        this.at = at;
        names = new EntryNames((what, place) => at.FaultAt(what, place));
        (readFileChild, readPiece) = (ReadFileChild, ReadPiece);
    }

    /// <summary>Reads a manifest from a file on this machine.</summary>
    /// <param name="path">The file.</param>
    /// <exception cref="ManifestFault">It is not a manifest that can be used.</exception>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static Manifest ReadFile(string path)
    {
        try
        {
            using var stream = InputFile.Open(path, MetalinkNames.LongestFile);
            return ReadOpen(stream, path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException or DiskException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The manifest cannot be opened.", path, "Check the path and that you may read the file.", e);
        }
    }

    /// <summary>Reads a manifest from an open file, which stands at its beginning.</summary>
    internal static Manifest ReadOpen(FileStream file, string path)
    {
        var isWorthHalving = file.Length >= WorthHalving && Environment.ProcessorCount > 1;
        return (isWorthHalving ? TryReadHalves(file.SafeFileHandle, path, file.Length / 2) : null) ?? Read(file, path);
    }

    /// <summary>Reads a manifest.</summary>
    /// <param name="stream">Metalink 4 in any encoding XML allows.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="ManifestFault">It is not a manifest that can be used.</exception>
    public static Manifest Read(Stream stream, string source)
    {
        using var at = new MetalinkCursor(stream, source);
        try
        {
            at.MoveToRoot();
            return at.IsOlderMetalink && at.Name == "metalink" ? Metalink3Reader.Read(at) : new MetalinkReader(at).ReadRoot();
        }
        catch (XmlException e)
        {
            var what = e.Message.Contains("DTD", StringComparison.Ordinal)
                ? "The manifest has a document type declaration, which is never accepted."
                : "The manifest is not well-formed XML.";
            throw at.FaultAt(what, (e.LineNumber, e.LinePosition), e);
        }
    }

    /// <summary>
    /// Reads a manifest in two halves at once. Null if it cannot be halved, or anything is not right: then reading it from its beginning
    /// tells what.
    /// </summary>
    internal static Manifest? TryReadHalves(SafeFileHandle file, string source, long near)
    {
        if (ManifestHalves.Cut(file, near) is not var (first, second))
            return null;
        using (first)
        using (second)
        using (MetalinkCursor atFirst = new(first, source), atSecond = new(second, source))
        {
            var (one, other) = (new MetalinkReader(atFirst), new MetalinkReader(atSecond));
            try
            {
                var reading = Task.Run(other.ReadElements);
                try
                {
                    one.ReadElements();
                }
                finally
                {
                    reading.GetAwaiter().GetResult();
                }

                return one.TryTake(other) ? one.Made() : null;
            }
            catch (Exception e) when (e is XmlException or MuktaException)
            {
                return null;
            }
        }
    }

    private Manifest ReadRoot()
    {
        ReadElements();
        return Made();
    }

    private void ReadElements()
    {
        at.MoveToRoot();
        if (!at.IsMetalink || at.Name != "metalink")
            throw at.Fault("This is not a Metalink 4 manifest: its root element is another one.");
        at.EachChild(ReadRootChild);
        at.ExpectEnd();
    }

    /// <summary>
    /// Takes what another reader has read of the same manifest behind this one. False if only one reader can tell what it means.
    /// </summary>
    private bool TryTake(MetalinkReader next)
    {
        names.AddRange(next.names);
        bases.AddRange(next.bases);
        var isMore = names.Count > MetalinkNames.MostEntries || pieceTotal + next.pieceTotal > MetalinkNames.MostPieces
            || bases.Count > MetalinkNames.MostPerFile;
        if (isMore || (bases.Count > 0 && files.Concat(next.files).Any(f => f.Extras is not null)))
            return false; // Which of a file's own places are those of the manifest depends on what stands before it.
        files.AddRange(next.files);
        links.AddRange(next.links);
        (product, release, sequence, expires) =
            (next.product ?? product, next.release ?? release, next.sequence ?? sequence, next.expires ?? expires);
        return true;
    }

    private Manifest Made()
    {
        if (files.Count + links.Count == 0)
            throw at.FaultAt("The manifest lists no file.", (1, 1));
        names.RefuseClashes();
        EntryNames.Sort(files);
        EntryNames.Sort(links);
        return new Manifest
        {
            Product = product,
            Release = release,
            Sequence = sequence,
            Expires = expires,
            Bases = bases.OrderBy(b => b.Priority).ToList(),
            Files = files,
            Links = links,
        };
    }

    private bool ReadRootChild()
    {
        var place = at.Place;
        switch (at.IsMetalink, at.IsOurs, at.Name)
        {
            case (true, _, "file"):
                ReadFileElement();
                return true;
            case (_, true, "product"):
                product = NotEmpty(at.Text(), "product", place);
                return true;
            case (_, true, "release"):
                release = NotEmpty(at.Text(), "release", place);
                return true;
            case (_, true, "sequence"):
                sequence = at.Number("sequence number", at.Text(), 0, long.MaxValue, place);
                return true;
            case (_, true, "expires"):
                expires = at.Date(at.Text(), place);
                return true;
            case (_, true, "base"):
                if (at.Mirror() is { } mirror)
                    Add(bases, mirror, place);
                return true;
            case (_, true, "link"):
                ReadLink(place);
                return true;
            default:
                return false;
        }
    }

    private void ReadLink((int Line, int Column) place)
    {
        var (path, target, component) = (at.RequiredAttribute("name"), at.RequiredAttribute("target"), at.Attribute("component"));
        names.Claim(path, place);
        if (ManifestPath.TargetFault(path, target) is { } fault)
            throw at.FaultAt($"The link target \"{Disk.PathBytes.Shown(target)}\" {fault}.", place);
        links.Add(new ManifestLink { Path = path, Target = target, Component = component });
        at.EachChild(() => false);
    }

    private void ReadFileElement()
    {
        var place = at.Place;
        var path = at.RequiredAttribute("name");
        names.Claim(path, place);
        now.Clear();
        at.EachChild(readFileChild);
        var hashes = now.Hashes.Count > 1 ? [.. now.Hashes.OrderBy(h => h.Kind)] : now.Hashes.ToArray();
        var file = new ManifestFile
        {
            Path = path,
            Size = now.Size ?? 0,
            HasSize = now.Size is not null,
            Hashes = hashes,
            Pieces = now.Pieces,
            Component = now.Component,
            Mode = now.Mode,
            Extras = now.HasSeldom ? new FileExtras
            {
                Urls = WithoutBases(now.Urls, path),
                OperatingSystems = [.. now.Systems],
                Languages = [.. now.Languages],
                Version = now.Version,
            } : null,
        };
        Prove(file, place, now.PiecesPlace);
        if (file.Size > MetalinkNames.MostBytes - bytes)
            throw at.FaultAt($"The files of this manifest have more than {MetalinkNames.MostBytes >> 60} EiB together.", place);
        bytes += file.Size;
        files.Add(file);
    }

    private bool ReadFileChild()
    {
        var here = at.Place;
        switch (at.IsMetalink, at.IsOurs, at.Name)
        {
            case (true, _, "size"):
                now.Size = now.Size is null ? at.Number("size", at.Text(), 0, long.MaxValue, here)
                    : throw at.Fault("A file has two sizes.");
                return true;
            case (true, _, "hash"):
                return ReadHash(now.Hashes);
            case (true, _, "pieces"):
                now.PiecesPlace = here;
                return ReadPieces();
            case (true, _, "url"):
                if (at.Mirror() is { } mirror)
                    Add(now.Urls, mirror, here);
                return true;
            case (true, _, "os"):
                Add(now.Systems, at.Text().ToString(), here);
                return true;
            case (true, _, "language"):
                Add(now.Languages, at.Text().ToString(), here);
                return true;
            case (true, _, "version"):
                now.Version = at.Text().ToString();
                return true;
            case (_, true, "component"):
                now.Component = at.Shared(NotEmpty(at.Text(), "component", here));
                return true;
            case (_, true, "mode"):
                now.Mode = at.Mode(at.Text(), here);
                return true;
            default:
                return false;
        }
    }

    private void Prove(ManifestFile file, (int, int) place, (int, int) piecesPlace)
    {
        if (!file.HasSize && file.Pieces is not null)
            throw at.FaultAt($"The file \"{file.Path}\" has pieces and no size; without it they mean nothing.", place);
        if (file.Hashes.Count == 0 && file.Pieces is null)
            throw at.FaultAt($"The file \"{file.Path}\" has no hash that Mukta knows (sha-256, sha-384, sha-512, sha-1, md5).", place);
        if (file.Pieces is { } pieces && PieceList.CountFor(file.Size, pieces.PieceLength) is var needed && pieces.Count != needed)
        {
            throw at.FaultAt(
                $"The file \"{file.Path}\" has {pieces.Count} pieces; its size of {file.Size} bytes and the piece length of "
                + $"{pieces.PieceLength} ask for {needed}.", piecesPlace);
        }

        if (file.Size > 0 || !file.HasSize)
            return;
        foreach (var hash in file.Hashes)
        {
            using var nothing = hash.Kind.Start();
            if (!CryptographicOperations.FixedTimeEquals(nothing.GetHashAndReset(), hash.Digest))
            {
                throw at.FaultAt(
                    $"The file \"{file.Path}\" has size 0, but its {hash.Kind.IanaName()} hash is not the one of nothing.", place);
            }
        }
    }

    private bool ReadHash(List<ContentHash> hashes)
    {
        var place = at.Place;
        if (HashKinds.FromIanaName(at.RequiredAttribute("type")) is not { } kind)
            return false;
        foreach (var other in hashes)
        {
            if (other.Kind == kind)
                throw at.Fault($"A file has two {kind.IanaName()} hashes.");
        }

        var digest = new byte[kind.DigestLength()];
        at.Digest(kind, at.Text(), digest, place);
        hashes.Add(new ContentHash(kind, digest));
        return true;
    }

    /// <summary>Reads one list of pieces. A file may carry several, by different functions: the best one is kept.</summary>
    private bool ReadPieces()
    {
        var place = at.Place;
        if (HashKinds.FromIanaName(at.RequiredAttribute("type")) is not { } kind)
            return false;
        var length = at.Number("piece length", at.RequiredAttribute("length"), 1, long.MaxValue, place);
        digests.ResetWrittenCount();
        pieceKind = kind;
        at.EachChild(readPiece);
        if (now.Pieces is null || kind < now.Pieces.Kind)
            now.Pieces = new PieceList(kind, length, digests.WrittenSpan.ToArray());
        return true;
    }

    private bool ReadPiece()
    {
        if (!at.IsMetalink || at.Name != "hash")
            return false;
        if (++pieceTotal > MetalinkNames.MostPieces)
            throw at.Fault($"The manifest has more than {MetalinkNames.MostPieces} pieces.");
        var here = at.Place;
        Span<byte> digest = stackalloc byte[pieceKind.DigestLength()];
        at.Digest(pieceKind, at.Text(), digest, here);
        digests.Write(digest);
        return true;
    }

    private IReadOnlyList<MirrorUrl> WithoutBases(List<MirrorUrl> urls, string path)
    {
        if (urls.Count == 0)
            return [];
        urls.RemoveAll(u => bases.Any(b => MirrorUrl.Below(b.Url, path).AbsoluteUri == u.Url.AbsoluteUri));
        return urls.Count < 2 ? [.. urls] : [.. urls.OrderBy(u => u.Priority)];
    }

    private void Add<T>(List<T> list, T value, (int, int) place)
    {
        list.Add(value);
        if (list.Count > MetalinkNames.MostPerFile)
            throw at.FaultAt($"More than {MetalinkNames.MostPerFile} of one kind stand here.", place);
    }

    private string NotEmpty(ReadOnlySpan<char> text, string what, (int, int) place) =>
        text.Length > 0 && !ManifestPath.HasControl(text) ? text.ToString()
        : throw at.FaultAt($"The {what} is empty or contains a control character.", place);

    /// <summary>What has been read of the file that the cursor is in. One object for all files.</summary>
    private sealed class FileSoFar
    {
        public long? Size { get; set; }

        public int? Mode { get; set; }

        public string? Version { get; set; }

        public string? Component { get; set; }

        public PieceList? Pieces { get; set; }

        public (int Line, int Column) PiecesPlace { get; set; }

        public List<ContentHash> Hashes { get; } = [];

        public List<MirrorUrl> Urls { get; } = [];

        public List<string> Systems { get; } = [];

        public List<string> Languages { get; } = [];

        public bool HasSeldom => Urls.Count + Systems.Count + Languages.Count > 0 || Version is not null;

        public void Clear()
        {
            (Size, Mode, Version, Component, Pieces) = (null, null, null, null, null);
            Hashes.Clear();
            Urls.Clear();
            Systems.Clear();
            Languages.Clear();
        }
    }
}
