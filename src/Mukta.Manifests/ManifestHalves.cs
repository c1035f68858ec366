using System.Security;
using System.Text;
using System.Xml;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Manifests;

/// <summary>
/// Cuts the file of a long manifest in front of one of its file elements, so that two cores can read it: the first half with
/// the root's end behind it, the second with its start before it. What is cut in a wrong place is not well-formed XML in at
/// least one half: a comment, a CDATA section or an element that goes on across the cut does not end in the first.
/// </summary>
internal static class ManifestHalves
{
    private const int HeadLength = 64 * 1024;
    private const int LongestSearch = 4 << 20;

    private static readonly byte[] FileElement = "<file "u8.ToArray();

    /// <summary>The halves, cut close behind a place; null if the file cannot be cut.</summary>
    public static (Stream First, Stream Second)? Cut(SafeFileHandle file, long near)
    {
        var length = RandomAccess.GetLength(file);
        if (RootOf(file) is not var (name, start) || CutAt(file, near) is not { } cut)
            return null;
        return (new Part(file, [], 0, cut, Encoding.UTF8.GetBytes($"</{name}>")),
            new Part(file, Encoding.UTF8.GetBytes(start), cut, length, []));
    }

    /// <summary>The root's name as it is written, and a start tag with the namespaces that it declares.</summary>
    private static (string Name, string Start)? RootOf(SafeFileHandle file)
    {
        var head = new byte[HeadLength];
        var got = RandomAccess.Read(file, head, 0);
        if (got < 3 || head[0] != (byte)'<')
            return null; // A mark of the byte order, or another encoding.
        try
        {
            using var xml = XmlReader.Create(
                new MemoryStream(head, 0, got), new XmlReaderSettings { DtdProcessing = DtdProcessing.Prohibit, XmlResolver = null });
            while (xml.Read() && xml.NodeType != XmlNodeType.Element)
            {
                if (xml.NodeType == XmlNodeType.XmlDeclaration && xml.GetAttribute("encoding") is { } encoding
                    && !encoding.Equals("utf-8", StringComparison.OrdinalIgnoreCase))
                    return null;
            }

            if (xml.NodeType != XmlNodeType.Element || xml.IsEmptyElement)
                return null;
            var (name, start) = (xml.Name, new StringBuilder($"<{xml.Name}"));
            while (xml.MoveToNextAttribute())
            {
                if (xml.Name == "xmlns" || xml.Prefix == "xmlns")
                    start.Append(null, $" {xml.Name}=\"{SecurityElement.Escape(xml.Value)}\"");
            }

            return (name, start.Append('>').ToString());
        }
        catch (XmlException)
        {
            return null;
        }
    }

    private static long? CutAt(SafeFileHandle file, long near)
    {
        var buffer = new byte[LongestSearch];
        var got = RandomAccess.Read(file, buffer, near);
        var found = buffer.AsSpan(0, Math.Max(got, 0)).IndexOf(FileElement);
        return found < 0 ? null : near + found;
    }

    /// <summary>Some bytes, a range of a file, some bytes.</summary>
    private sealed class Part(SafeFileHandle file, byte[] before, long from, long to, byte[] after) : Stream
    {
        private long at;

        public override bool CanRead => true;

        public override bool CanSeek => false;

        public override bool CanWrite => false;

        public override long Length => before.Length + (to - from) + after.Length;

        public override long Position { get => at; set => throw new NotSupportedException(); }

        public override int Read(Span<byte> buffer)
        {
            var got = at < before.Length ? Copy(before.AsSpan((int)at), buffer)
                : at < before.Length + (to - from)
                ? RandomAccess.Read(
                file, buffer[..(int)Math.Min(buffer.Length, to - from - (at - before.Length))], from + at - before.Length)
                : Copy(after.AsSpan((int)(at - before.Length - (to - from))), buffer);
            at += got;
            return got;
        }

        public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

        public override void Flush()
        {
        }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        private static int Copy(Span<byte> source, Span<byte> into)
        {
            var count = Math.Min(source.Length, into.Length);
            source[..count].CopyTo(into);
            return count;
        }
    }
}
