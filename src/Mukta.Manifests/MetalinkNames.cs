namespace Mukta.Manifests;

/// <summary>Namespaces and bounds of the manifest format (RFC 5854 and Mukta's extension, see docs/formats.md).</summary>
public static class MetalinkNames
{
    /// <summary>The namespace of Metalink 4.</summary>
    public const string Metalink = "urn:ietf:params:xml:ns:metalink";

    /// <summary>The namespace of Metalink 3.0, an older format that no RFC describes.</summary>
    public const string Metalink3 = "http://www.metalinker.org/";

    /// <summary>The namespace of Mukta's extension elements.</summary>
    public const string Extension = "urn:mukta:manifest:1";

    /// <summary>The longest file of a manifest, in bytes: 16 GiB.</summary>
    public const long LongestFile = 16L << 30;

    /// <summary>The most files and links in one manifest.</summary>
    public const int MostEntries = 5_000_000;

    /// <summary>The most pieces in one manifest.</summary>
    public const long MostPieces = 50_000_000;

    /// <summary>The most bytes of all files of one manifest: 1 EiB, so that sums stay sums.</summary>
    public const long MostBytes = 1L << 60;

    /// <summary>The most characters in the text of one element.</summary>
    public const int LongestText = 16 * 1024;

    /// <summary>The most hashes, URLs, systems or languages of one file.</summary>
    public const int MostPerFile = 1000;
}
