using System.Globalization;
using System.Text;
using System.Xml;
using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>Writes a manifest as Metalink 4 (RFC 5854). The same manifest always gives the same bytes.</summary>
public static class MetalinkWriter
{
    private const string Prefix = "mukta";

    /// <summary>Writes a manifest to a file: beside it first, then renamed, so that the file is the old one or the new one.</summary>
    /// <exception cref="MuktaException">The file cannot be written.</exception>
    public static void WriteFile(Manifest manifest, string path) => WriteFile(stream => Write(manifest, stream), path);

    /// <summary>Writes a file: beside it first, then renamed, so that it is the old one or the new one.</summary>
    /// <exception cref="MuktaException">The file cannot be written.</exception>
    internal static void WriteFile(Action<Stream> write, string path)
    {
        var beside = $"{path}.{Environment.ProcessId}.part";
        try
        {
            using (var stream = new FileStream(beside, FileMode.CreateNew, FileAccess.Write))
            {
                write(stream);
                stream.Flush(flushToDisk: true);
            }

            File.Move(beside, path, overwrite: true);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentOutOfRangeException)
        {
            if (File.Exists(beside))
                File.Delete(beside);
            var reason = e switch
            {
                ArgumentOutOfRangeException => "the file would be too long.",
                DirectoryNotFoundException => "its folder is not there.",
                _ => e.Message,
            };
            throw new MuktaException(
                ExitCode.Blocked, $"The manifest cannot be written: {reason}", path,
                "Check that the folder is there and that you may write to it.", e);
        }
    }

    /// <summary>Writes a manifest, in UTF-8 with LF at line ends.</summary>
    /// <param name="manifest">What to write; its files in any order.</param>
    /// <param name="stream">Where to; not closed.</param>
    public static void Write(Manifest manifest, Stream stream)
    {
        using var xml = XmlWriter.Create(stream, new XmlWriterSettings
        {
            Indent = true,
            IndentChars = " ",
            NewLineChars = "\n",
            Encoding = new UTF8Encoding(false),
            CloseOutput = false,
        });
        xml.WriteStartDocument();
        xml.WriteStartElement("metalink", MetalinkNames.Metalink);
        xml.WriteAttributeString("xmlns", Prefix, null, MetalinkNames.Extension);
        Ours(xml, "product", manifest.Product);
        Ours(xml, "release", manifest.Release);
        Ours(xml, "sequence", manifest.Sequence?.ToString(CultureInfo.InvariantCulture));
        Ours(xml, "expires", manifest.Expires?.UtcDateTime.ToString("yyyy-MM-dd'T'HH:mm:ss'Z'", CultureInfo.InvariantCulture));
        foreach (var mirror in manifest.Bases)
            WriteMirror(xml, Prefix, "base", MetalinkNames.Extension, mirror);
        foreach (var file in manifest.Files.OrderBy(f => f.Path, StringComparer.Ordinal))
            WriteFile(xml, manifest, file);
        foreach (var link in manifest.Links.OrderBy(l => l.Path, StringComparer.Ordinal))
            WriteLink(xml, link);
        xml.WriteEndElement();
        xml.WriteEndDocument();
        xml.Flush();
        stream.WriteByte((byte)'\n');
    }

    private static void WriteFile(XmlWriter xml, Manifest manifest, ManifestFile file)
    {
        xml.WriteStartElement("file", MetalinkNames.Metalink);
        xml.WriteAttributeString("name", file.Path);
        Text(xml, "size", file.HasSize ? file.Size.ToString(CultureInfo.InvariantCulture) : null);
        Text(xml, "version", file.Version);
        foreach (var system in file.OperatingSystems)
            Text(xml, "os", system);
        foreach (var language in file.Languages)
            Text(xml, "language", language);
        foreach (var hash in file.Hashes)
            WriteHash(xml, hash.Kind, hash.Hex);
        if (file.Pieces is { } pieces)
            WritePieces(xml, pieces);
        foreach (var mirror in manifest.Bases)
            WriteMirror(xml, null, "url", MetalinkNames.Metalink, mirror with { Url = MirrorUrl.Below(mirror.Url, file.Path) });
        foreach (var mirror in file.Urls)
            WriteMirror(xml, null, "url", MetalinkNames.Metalink, mirror);
        Ours(xml, "component", file.Component);
        Ours(xml, "mode", file.Mode is { } mode ? "0" + Convert.ToString(mode, 8).PadLeft(3, '0') : null);
        xml.WriteEndElement();
    }

    private static void WritePieces(XmlWriter xml, PieceList pieces)
    {
        xml.WriteStartElement("pieces", MetalinkNames.Metalink);
        xml.WriteAttributeString("length", pieces.PieceLength.ToString(CultureInfo.InvariantCulture));
        xml.WriteAttributeString("type", pieces.Kind.IanaName());
        for (var i = 0; i < pieces.Count; i++)
            Text(xml, "hash", Convert.ToHexStringLower(pieces[i]));
        xml.WriteEndElement();
    }

    private static void WriteHash(XmlWriter xml, HashKind kind, string hex)
    {
        xml.WriteStartElement("hash", MetalinkNames.Metalink);
        xml.WriteAttributeString("type", kind.IanaName());
        xml.WriteString(hex);
        xml.WriteEndElement();
    }

    private static void WriteMirror(XmlWriter xml, string? prefix, string name, string space, MirrorUrl mirror)
    {
        xml.WriteStartElement(prefix, name, space);
        if (mirror.Location is not null)
            xml.WriteAttributeString("location", mirror.Location);
        if (mirror.Priority != MirrorUrl.LowestPriority)
            xml.WriteAttributeString("priority", mirror.Priority.ToString(CultureInfo.InvariantCulture));
        xml.WriteString(mirror.Url.AbsoluteUri);
        xml.WriteEndElement();
    }

    private static void WriteLink(XmlWriter xml, ManifestLink link)
    {
        xml.WriteStartElement(Prefix, "link", MetalinkNames.Extension);
        xml.WriteAttributeString("name", link.Path);
        xml.WriteAttributeString("target", link.Target);
        if (link.Component is not null)
            xml.WriteAttributeString("component", link.Component);
        xml.WriteEndElement();
    }

    private static void Text(XmlWriter xml, string name, string? text)
    {
        if (text is not null)
            xml.WriteElementString(name, MetalinkNames.Metalink, text);
    }

    private static void Ours(XmlWriter xml, string name, string? text)
    {
        if (text is not null)
            xml.WriteElementString(Prefix, name, MetalinkNames.Extension, text);
    }
}
