using System.Security.Cryptography;
using System.Xml;
using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>
/// Reads a manifest from Metalink 4 (RFC 5854), one element at a time. Elements that Mukta does not know are passed
/// over, as section 5.1 asks; what it does know has to be right, or the manifest is refused whole.
/// </summary>
public sealed class MetalinkReader
{
    private readonly MetalinkCursor at;
    private readonly List<ManifestFile> files = [];
    private readonly List<ManifestLink> links = [];
    private readonly List<MirrorUrl> bases = [];
    private readonly Dictionary<string, (int Line, int Column)> names = new(StringComparer.Ordinal);
    private string? product, release;
    private long? sequence;
    private DateTimeOffset? expires;
    private long pieceTotal;

    private MetalinkReader(MetalinkCursor at) => this.at = at;

    /// <summary>Reads a manifest from a file on this machine.</summary>
    /// <param name="path">The file.</param>
    /// <exception cref="ManifestFault">It is not a manifest that can be used.</exception>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static Manifest ReadFile(string path)
    {
        try
        {
            using var stream = new FileStream(path, FileMode.Open, FileAccess.Read, FileShare.Read, 1 << 16, FileOptions.SequentialScan);
            return Read(stream, path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException)
        {
            throw new MuktaException(ExitCode.BadInput, "The manifest cannot be opened.", path, "Check the path and that you may read the file.", e);
        }
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
            return new MetalinkReader(at).ReadRoot();
        }
        catch (XmlException e)
        {
            var what = e.Message.Contains("DTD", StringComparison.Ordinal)
                ? "The manifest has a document type declaration, which is never accepted."
                : "The manifest is not well-formed XML.";
            throw at.FaultAt(what, (e.LineNumber, e.LinePosition), e);
        }
    }

    private Manifest ReadRoot()
    {
        at.MoveToRoot();
        if (!at.IsMetalink || at.Name != "metalink")
            throw at.Fault("This is not a Metalink 4 manifest: its root element is another one.");
        at.EachChild(ReadRootChild);
        at.ExpectEnd();
        if (files.Count + links.Count == 0)
            throw at.FaultAt("The manifest lists no file.", (1, 1));
        RefuseFilesThatAreFolders();
        files.Sort((a, b) => string.CompareOrdinal(a.Path, b.Path));
        links.Sort((a, b) => string.CompareOrdinal(a.Path, b.Path));
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
        Claim(path, place);
        if (ManifestPath.TargetFault(path, target) is { } fault)
            throw at.FaultAt($"The link target \"{Disk.PathBytes.Shown(target)}\" {fault}.", place);
        links.Add(new ManifestLink { Path = path, Target = target, Component = component });
        at.EachChild(() => false);
    }

    private void ReadFileElement()
    {
        var place = at.Place;
        var path = at.RequiredAttribute("name");
        Claim(path, place);
        long? size = null;
        int? mode = null;
        string? version = null, component = null;
        List<ContentHash> hashes = [];
        List<MirrorUrl> urls = [];
        List<string> systems = [], languages = [];
        PieceList? pieces = null;
        var piecesPlace = place;
        at.EachChild(() =>
        {
            var here = at.Place;
            switch (at.IsMetalink, at.IsOurs, at.Name)
            {
                case (true, _, "size"):
                    size = size is null ? at.Number("size", at.Text(), 0, long.MaxValue, here) : throw at.Fault("A file has two sizes.");
                    return true;
                case (true, _, "hash"):
                    return ReadHash(hashes);
                case (true, _, "pieces"):
                    piecesPlace = here;
                    return ReadPieces(ref pieces);
                case (true, _, "url"):
                    if (at.Mirror() is { } mirror)
                        Add(urls, mirror, here);
                    return true;
                case (true, _, "os"):
                    Add(systems, at.Text(), here);
                    return true;
                case (true, _, "language"):
                    Add(languages, at.Text(), here);
                    return true;
                case (true, _, "version"):
                    version = at.Text();
                    return true;
                case (_, true, "component"):
                    component = NotEmpty(at.Text(), "component", here);
                    return true;
                case (_, true, "mode"):
                    mode = at.Mode(at.Text(), here);
                    return true;
                default:
                    return false;
            }
        });

        var file = new ManifestFile
        {
            Path = path,
            Size = size ?? throw at.FaultAt($"The file \"{path}\" has no size; without it nothing can be verified.", place),
            Hashes = hashes.Count < 2 ? hashes : [.. hashes.OrderBy(h => h.Kind)],
            Pieces = pieces,
            Urls = WithoutBases(urls, path),
            OperatingSystems = systems,
            Languages = languages,
            Version = version,
            Component = component,
            Mode = mode,
        };
        Prove(file, place, piecesPlace);
        files.Add(file);
    }

    private void Prove(ManifestFile file, (int, int) place, (int, int) piecesPlace)
    {
        if (file.Hashes.Count == 0 && file.Pieces is null)
            throw at.FaultAt($"The file \"{file.Path}\" has no hash that Mukta knows (sha-256, sha-384, sha-512, sha-1, md5).", place);
        if (file.Pieces is { } pieces && PieceList.CountFor(file.Size, pieces.PieceLength) is var needed && pieces.Count != needed)
            throw at.FaultAt($"The file \"{file.Path}\" has {pieces.Count} pieces; its size of {file.Size} bytes and the piece length of {pieces.PieceLength} ask for {needed}.", piecesPlace);
        if (file.Size > 0)
            return;
        foreach (var hash in file.Hashes)
        {
            using var nothing = hash.Kind.Start();
            if (!CryptographicOperations.FixedTimeEquals(nothing.GetHashAndReset(), hash.Digest))
                throw at.FaultAt($"The file \"{file.Path}\" has size 0, but its {hash.Kind.IanaName()} hash is not the one of nothing.", place);
        }
    }

    private bool ReadHash(List<ContentHash> hashes)
    {
        var place = at.Place;
        if (HashKinds.FromIanaName(at.RequiredAttribute("type")) is not { } kind)
            return false;
        if (hashes.Any(h => h.Kind == kind))
            throw at.Fault($"A file has two {kind.IanaName()} hashes.");
        var digest = new byte[kind.DigestLength()];
        at.Digest(kind, at.Text(), digest, place);
        hashes.Add(new ContentHash(kind, digest));
        return true;
    }

    /// <summary>Reads one list of pieces. A file may carry several, by different functions: the best one is kept.</summary>
    private bool ReadPieces(ref PieceList? best)
    {
        var place = at.Place;
        if (HashKinds.FromIanaName(at.RequiredAttribute("type")) is not { } kind)
            return false;
        var length = at.Number("piece length", at.RequiredAttribute("length"), 1, long.MaxValue, place);
        var digests = new MemoryStream();
        var digest = new byte[kind.DigestLength()];
        at.EachChild(() =>
        {
            if (!at.IsMetalink || at.Name != "hash")
                return false;
            if (++pieceTotal > MetalinkNames.MostPieces)
                throw at.Fault($"The manifest has more than {MetalinkNames.MostPieces} pieces.");
            var here = at.Place;
            at.Digest(kind, at.Text(), digest, here);
            digests.Write(digest);
            return true;
        });
        if (best is null || kind < best.Kind)
            best = new PieceList(kind, length, digests.ToArray());
        return true;
    }

    private void Claim(string path, (int Line, int Column) place)
    {
        if (ManifestPath.Fault(path) is { } fault)
            throw at.FaultAt($"The name \"{Disk.PathBytes.Shown(path)}\" {fault}.", place);
        if (!names.TryAdd(path, place))
            throw at.FaultAt($"The name \"{path}\" stands twice; first in line {names[path].Line}.", place);
        if (names.Count > MetalinkNames.MostEntries)
            throw at.FaultAt($"The manifest lists more than {MetalinkNames.MostEntries} files.", place);
    }

    private void RefuseFilesThatAreFolders()
    {
        var checkedFolders = new HashSet<string>(StringComparer.Ordinal);
        foreach (var (path, place) in names)
        {
            foreach (var folder in ManifestPath.Folders(path))
            {
                if (checkedFolders.Add(folder) && names.TryGetValue(folder, out var other))
                    throw at.FaultAt($"The name \"{folder}\" is a file, and \"{path}\" needs it as a folder.", other.Line > place.Line ? other : place);
            }
        }
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

    private string NotEmpty(string text, string what, (int, int) place) =>
        text.Length > 0 && !text.Any(char.IsControl) ? text : throw at.FaultAt($"The {what} is empty or contains a control character.", place);
}
