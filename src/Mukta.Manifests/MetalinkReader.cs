using System.Xml;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
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
    private const long WorthHalving = 2L << 20;

    private readonly MetalinkCursor at;
    private readonly List<ManifestFile> files = [];
    private readonly List<ManifestLink> links = [];
    private readonly List<MirrorUrl> bases = [];
    private readonly EntryNames names;
    private readonly FileElementReader file;
    private string? product, release;
    private long? sequence;
    private long bytes;
    private DateTimeOffset? expires;

    private MetalinkReader(MetalinkCursor at, bool isHalf = false)
    {
        this.at = at;
        names = new EntryNames((what, place) => at.FaultAt(what, place), keepsPlaces: !isHalf);
        file = new FileElementReader(at, bases);
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
            var (one, other) = (new MetalinkReader(atFirst, isHalf: true), new MetalinkReader(atSecond, isHalf: true));
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
        var isMore = names.Count > MetalinkNames.MostEntries || file.PieceTotal + next.file.PieceTotal > MetalinkNames.MostPieces
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
                product = at.NotEmptyText("product", place);
                return true;
            case (_, true, "release"):
                release = at.NotEmptyText("release", place);
                return true;
            case (_, true, "sequence"):
                sequence = at.Number("sequence number", at.Text(), 0, long.MaxValue, place);
                return true;
            case (_, true, "expires"):
                expires = at.Date(at.Text(), place);
                return true;
            case (_, true, "base"):
                if (at.Mirror() is { } mirror)
                    at.AddTo(bases, mirror, place);
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
        var read = file.Read(path, place);
        if (read.Size > MetalinkNames.MostBytes - bytes)
            throw at.FaultAt($"The files of this manifest have more than {MetalinkNames.MostBytes >> 60} EiB together.", place);
        bytes += read.Size;
        files.Add(read);
    }
}
