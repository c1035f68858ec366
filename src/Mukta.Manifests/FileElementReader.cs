using System.Buffers;
using System.Security.Cryptography;
using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>Reads the <c>file</c> elements of a manifest (RFC 5854, section 4.1.2) one after the other.</summary>
internal sealed class FileElementReader
{
    private readonly MetalinkCursor at;
    private readonly IReadOnlyList<MirrorUrl> bases;
    private readonly FileSoFar now = new();
    private readonly ArrayBufferWriter<byte> digests = new();
    private readonly Func<bool> readChild, readPiece;
    private HashKind pieceKind;

    /// <param name="at">Where in the manifest.</param>
    /// <param name="bases">The places of all files that were read so far: a file's own are those beside them.</param>
    public FileElementReader(MetalinkCursor at, IReadOnlyList<MirrorUrl> bases)
    {
        (this.at, this.bases) = (at, bases);
        (readChild, readPiece) = (ReadChild, ReadPiece);
    }

    /// <summary>The pieces of all files that were read.</summary>
    public long PieceTotal { get; private set; }

    /// <summary>Reads the element that the cursor is on.</summary>
    /// <param name="path">The name that it gives the file.</param>
    /// <param name="place">Where it begins.</param>
    public ManifestFile Read(string path, (int Line, int Column) place)
    {
        now.Clear();
        at.EachChild(readChild);
        var file = new ManifestFile
        {
            Path = path,
            Size = now.Size ?? 0,
            HasSize = now.Size is not null,
            Hashes = now.Hashes,
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
        return file;
    }

    private bool ReadChild()
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
                    at.AddTo(now.Urls, mirror, here);
                return true;
            case (true, _, "os"):
                at.AddTo(now.Systems, at.Text().ToString(), here);
                return true;
            case (true, _, "language"):
                at.AddTo(now.Languages, at.Text().ToString(), here);
                return true;
            case (true, _, "version"):
                now.Version = at.Text().ToString();
                return true;
            case (_, true, "component"):
                now.Component = at.Shared(at.NotEmptyText("component", here));
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
        if (++PieceTotal > MetalinkNames.MostPieces)
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
