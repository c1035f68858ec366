using System.Globalization;
using System.Xml;
using Mukta.Hashing;

namespace Mukta.Manifests;

/// <summary>A position in a manifest: reads the values there, bounded, and says line and column of a fault.</summary>
internal sealed class MetalinkCursor : IDisposable
{
    private readonly XmlReader xml;
    private readonly IXmlLineInfo? lines;
    private readonly string source;
    private const int MostShared = 10_000;

    private readonly HashSet<string> shared = new(StringComparer.Ordinal);
    private char[] text = new char[1024];
    private string? ours, metalink, older;

    public MetalinkCursor(Stream stream, string source)
    {
        this.source = source;
        xml = XmlReader.Create(stream, new XmlReaderSettings
        {
            DtdProcessing = DtdProcessing.Prohibit,
            XmlResolver = null,
            IgnoreComments = true,
            IgnoreProcessingInstructions = true,
            IgnoreWhitespace = true,
            MaxCharactersInDocument = 4L << 30,
            CloseInput = false,
        });
        lines = xml as IXmlLineInfo;
    }

    public string Name => xml.LocalName;

    public bool IsOurs => IsIn(MetalinkNames.Extension, ref ours);

    public bool IsMetalink => IsIn(MetalinkNames.Metalink, ref metalink);

    /// <summary>True for an element of Metalink 3.</summary>
    public bool IsOlderMetalink => IsIn(MetalinkNames.Metalink3, ref older);

    public (int Line, int Column) Place => lines is null ? (0, 0) : (lines.LineNumber, lines.LinePosition);

    /// <summary>The reader gives the same object for the same name, so that most looks need no comparison of characters.</summary>
    private bool IsIn(string wanted, ref string? seen)
    {
        var name = xml.NamespaceURI;
        if (ReferenceEquals(name, seen))
            return true;
        if (name != wanted)
            return false;
        seen = name;
        return true;
    }

    public ManifestFault Fault(string what, Exception? inner = null) => FaultAt(what, Place, inner);

    public ManifestFault FaultAt(string what, (int Line, int Column) place, Exception? inner = null) =>
        new(what, source, Math.Max(place.Line, 1), Math.Max(place.Column, 1), inner);

    /// <summary>Goes to the root element.</summary>
    public void MoveToRoot() => xml.MoveToContent();

    /// <summary>
    /// Calls back once at the start of each child element. The callee either reads the element to its end and answers
    /// true, or answers false to have it skipped.
    /// </summary>
    public void EachChild(Func<bool> child)
    {
        if (xml.IsEmptyElement)
        {
            xml.Read();
            return;
        }

        var depth = xml.Depth;
        xml.Read();
        while (xml.Depth > depth)
        {
            if (xml.NodeType != XmlNodeType.Element)
                xml.Read();
            else if (!child())
                xml.Skip();
        }

        xml.Read();
    }

    /// <summary>Says that nothing but comments may follow.</summary>
    public void ExpectEnd()
    {
        while (xml.Read())
        {
        }
    }

    public string? Attribute(string name)
    {
        var value = xml.GetAttribute(name);
        return value is { Length: > MetalinkNames.LongestText }
            ? throw Fault($"The attribute {name} is longer than {MetalinkNames.LongestText} characters.") : value;
    }

    public string RequiredAttribute(string name) =>
        Attribute(name) ?? throw Fault($"The element {Name} has no attribute {name}.");

    /// <summary>The text of the element that the cursor is on, without the space around it; good until the next text is read.</summary>
    public ReadOnlySpan<char> Text()
    {
        var name = Name;
        if (xml.IsEmptyElement)
        {
            xml.Read();
            return "";
        }

        var depth = xml.Depth;
        var length = 0;
        xml.Read();
        while (xml.Depth > depth)
        {
            if (xml.NodeType is not (XmlNodeType.Text or XmlNodeType.CDATA or XmlNodeType.SignificantWhitespace))
                throw Fault($"The element {name} may hold only text.");
            int got;
            while ((got = xml.ReadValueChunk(text, length, text.Length - length)) > 0)
            {
                length += got;
                if (length > MetalinkNames.LongestText)
                    throw Fault($"The element {name} is longer than {MetalinkNames.LongestText} characters.");
                if (length == text.Length)
                    Array.Resize(ref text, 2 * length);
            }

            xml.Read();
        }

        xml.Read();
        return text.AsSpan(0, length).Trim(" \t\r\n");
    }

    /// <summary>The same text, as one object for all places where it is.</summary>
    public string Shared(string value) =>
        shared.TryGetValue(value, out var known) ? known : shared.Count < MostShared && shared.Add(value) ? value : value;

    public long Number(string what, ReadOnlySpan<char> text, long least, long most, (int, int) place) =>
        long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var value) && value >= least && value <= most
            ? value
            : throw FaultAt($"The {what} \"{Shortened(text)}\" is not a whole number from {least} to {most}.", place);

    public DateTimeOffset Date(ReadOnlySpan<char> text, (int, int) place) =>
        DateTimeOffset.TryParse(
        text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var value)
            && text.Contains('T')
            ? value
            : throw FaultAt($"The date \"{Shortened(text)}\" is not one of RFC 3339, such as 2027-01-31T12:00:00Z.", place);

    public int Mode(ReadOnlySpan<char> text, (int, int) place)
    {
        if (text.Length is < 3 or > 4 || text.ContainsAnyExceptInRange('0', '7') || (text.Length == 4 && text[0] != '0'))
            throw FaultAt($"The mode \"{Shortened(text)}\" is not one of 0000 to 0777 (octal).", place);
        var mode = 0;
        foreach (var digit in text)
            mode = (mode * 8) + (digit - '0');
        return mode;
    }

    public void Digest(HashKind kind, ReadOnlySpan<char> text, Span<byte> into, (int, int) place)
    {
        if (text.Length != into.Length * 2
            || Convert.FromHexString(text, into, out _, out var written) != System.Buffers.OperationStatus.Done || written != into.Length)
            throw FaultAt($"A {kind.IanaName()} hash has {into.Length * 2} hexadecimal digits; \"{Shortened(text)}\" does not.", place);
    }

    public Uri MirrorAddress(ReadOnlySpan<char> text, (int, int) place) =>
        Uri.TryCreate(text.ToString(), UriKind.Absolute, out var uri) ? uri
        : throw FaultAt($"\"{Shortened(text)}\" is not an absolute URL.", place);

    public MirrorUrl? Mirror()
    {
        var place = Place;
        var priority = Attribute("priority") is { } p ? (int)Number("priority", p, 1, MirrorUrl.LowestPriority, place)
            : MirrorUrl.LowestPriority;
        var location = Attribute("location");
        var uri = MirrorAddress(Text(), place);
        return uri.Scheme == Uri.UriSchemeHttp || uri.Scheme == Uri.UriSchemeHttps ? new MirrorUrl(uri, priority, location) : null;
    }

    /// <summary>The text of the element that the cursor is on, which may not be empty.</summary>
    public string NotEmptyText(string what, (int, int) place) =>
        Text() is { Length: > 0 } text && !ManifestPath.HasControl(text) ? text.ToString()
        : throw FaultAt($"The {what} is empty or contains a control character.", place);

    /// <summary>Adds to a list of what may stand several times in one place, but not for ever.</summary>
    public void AddTo<T>(List<T> list, T value, (int, int) place)
    {
        list.Add(value);
        if (list.Count > MetalinkNames.MostPerFile)
            throw FaultAt($"More than {MetalinkNames.MostPerFile} of one kind stand here.", place);
    }

    public void Dispose() => xml.Dispose();

    private static string Shortened(ReadOnlySpan<char> text) =>
        Disk.PathBytes.Shown(text.Length <= 80 ? text.ToString() : $"{text[..77]}...");
}
