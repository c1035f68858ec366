using Mukta.Hashing;

namespace Mukta.Manifests.Formats;

/// <summary>
/// Reads a Metalink 3.0 file as far as its hashes go: names, sizes, hashes, pieces and http addresses. Whatever else it says is passed
/// over.
/// </summary>
internal sealed class Metalink3Reader
{
    private readonly MetalinkCursor at;
    private readonly EntryNames names;
    private readonly List<ManifestFile> files = [];
    private string? path;
    private long? size;
    private PieceList? pieces;
    private List<ContentHash> hashes = [];
    private List<MirrorUrl> urls = [];

    private Metalink3Reader(MetalinkCursor at)
    {
        this.at = at;
        names = new EntryNames((what, place) => at.FaultAt(what, place));
    }

    /// <summary>Reads from the root element on.</summary>
    /// <exception cref="ManifestFault">It cannot be used.</exception>
    public static Manifest Read(MetalinkCursor at)
    {
        var reader = new Metalink3Reader(at);
        at.EachChild(() => reader.In("files", () => reader.In("file", reader.ReadFile)));
        at.ExpectEnd();
        if (reader.files.Count == 0)
            throw at.FaultAt("The manifest lists no file.", (1, 1));
        reader.names.RefuseClashes();
        EntryNames.Sort(reader.files);
        return new Manifest { Files = reader.files, Format = ManifestFormat.Metalink3 };
    }

    private bool In(string element, Func<bool> child)
    {
        if (!at.IsOlderMetalink || at.Name != element)
            return false;
        if (element == "file")
            return child();
        at.EachChild(child);
        return true;
    }

    private bool ReadFile()
    {
        var place = at.Place;
        (path, size, pieces, hashes, urls) = (at.RequiredAttribute("name"), null, null, [], []);
        names.Claim(path, place);
        at.EachChild(() => ReadSize() || In("verification", () => ReadHash() || ReadPieces()) || In("resources", ReadUrl));
        if (hashes.Count == 0 && pieces is null)
        {
            throw at.FaultAt(
                $"The file \"{path}\" has no hash that Mukta knows (sha256, sha384, sha512, sha1, md5).", place);
        }

        if (pieces is { } list && (size is not { } known || PieceList.CountFor(known, list.PieceLength) != list.Count))
            throw at.FaultAt($"The pieces of \"{path}\" do not fit its size.", place);
        files.Add(new ManifestFile
        {
            Path = path,
            Size = size ?? 0,
            HasSize = size is not null,
            Hashes = hashes,
            Pieces = pieces,
            Extras = urls.Count > 0 ? new FileExtras { Urls = [.. urls.OrderBy(u => u.Priority)] } : null,
        });
        return true;
    }

    private bool ReadSize()
    {
        if (!at.IsOlderMetalink || at.Name != "size")
            return false;
        var place = at.Place;
        size = at.Number("size", at.Text(), 0, long.MaxValue, place);
        return true;
    }

    private bool ReadHash()
    {
        if (!at.IsOlderMetalink || at.Name != "hash" || Kind() is not { } kind)
            return false;
        if (hashes.Exists(h => h.Kind == kind))
            throw at.Fault($"A file has two {kind.IanaName()} hashes.");
        hashes.Add(new ContentHash(kind, Digest(kind)));
        return true;
    }

    private bool ReadPieces()
    {
        if (!at.IsOlderMetalink || at.Name != "pieces" || Kind() is not { } kind)
            return false;
        var length = at.Number("piece length", at.RequiredAttribute("length"), 1, long.MaxValue, at.Place);
        var digests = new List<byte>();
        var count = 0;
        at.EachChild(() =>
        {
            if (!at.IsOlderMetalink || at.Name != "hash")
                return false;
            if (at.Attribute("piece") is { } number && number != $"{count}")
                throw at.Fault("The pieces are not in their order.");
            if (++count > MetalinkNames.MostPieces / 10)
                throw at.Fault("The file has too many pieces.");
            digests.AddRange(Digest(kind));
            return true;
        });
        if (pieces is null || kind < pieces.Kind)
            pieces = new PieceList(kind, length, [.. digests]);
        return true;
    }

    private bool ReadUrl()
    {
        if (!at.IsOlderMetalink || at.Name != "url")
            return false;
        var place = at.Place;
        var preference = at.Attribute("preference") is { } said ? at.Number("preference", said, 0, 100, place) : 0;
        var location = at.Attribute("location");
        var url = at.MirrorAddress(at.Text(), place);
        if (url.Scheme == Uri.UriSchemeHttp || url.Scheme == Uri.UriSchemeHttps)
            urls.Add(new MirrorUrl(url, (int)(101 - preference), location));
        return urls.Count <= MetalinkNames.MostPerFile ? true
            : throw at.FaultAt($"More than {MetalinkNames.MostPerFile} of one kind stand here.", place);
    }

    private HashKind? Kind() => ChecksumList.KindOf(at.RequiredAttribute("type").Replace("-", "", StringComparison.Ordinal));

    private byte[] Digest(HashKind kind)
    {
        var place = at.Place;
        var digest = new byte[kind.DigestLength()];
        at.Digest(kind, at.Text(), digest, place);
        return digest;
    }
}
