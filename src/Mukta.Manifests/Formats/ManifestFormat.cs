namespace Mukta.Manifests.Formats;

/// <summary>A format that manifests are read from and written in, see docs/formats.md.</summary>
public enum ManifestFormat
{
    /// <summary>Metalink 4 (RFC 5854) with Mukta's extension.</summary>
    Metalink,

    /// <summary>Metalink 3.0, which is only read.</summary>
    Metalink3,

    /// <summary>A checksum list as the GNU tools write it: a hash and a name in each line.</summary>
    Gnu,

    /// <summary>A checksum list as the BSD tools write it: the function, a name and a hash in each line.</summary>
    Bsd,

    /// <summary>A bag: a folder with lists of what lies in its folder "data" (RFC 8493).</summary>
    Bagit,
}

/// <summary>What formats are called, and what they cannot say.</summary>
public static class ManifestFormats
{
    /// <summary>What a format is called in a sentence.</summary>
    public static string Title(this ManifestFormat format) => format switch
    {
        ManifestFormat.Metalink => "Metalink 4",
        ManifestFormat.Metalink3 => "Metalink 3",
        ManifestFormat.Gnu => "a checksum list (GNU style)",
        ManifestFormat.Bsd => "a checksum list (BSD style)",
        _ => "a bag (BagIt 1.0)",
    };

    /// <summary>What a manifest says that a format has no place for.</summary>
    public static IReadOnlyList<string> Lost(Manifest manifest, ManifestFormat format)
    {
        if (format == ManifestFormat.Metalink)
            return [];
        var files = manifest.Files;
        (string What, bool IsSaid)[] said =
        [
            ("the product and its release", (manifest.Product ?? manifest.Release) is not null || manifest.Sequence is not null),
            ("when it expires", manifest.Expires is not null),
            ("sizes", format != ManifestFormat.Bagit && files.Any(f => f.HasSize)),
            ("hashes of pieces", files.Any(f => f.Pieces is not null)),
            ("modes", files.Any(f => f.Mode is not null)),
            (Units.Count(manifest.Links.Count, "link"), manifest.Links.Count > 0),
            ("components", files.Any(f => f.Component is not null)),
            ("mirrors", format != ManifestFormat.Bagit && (manifest.Bases.Count > 0 || files.Any(f => f.Urls.Count > 0))),
        ];
        return [.. said.Where(s => s.IsSaid).Select(s => s.What)];
    }
}
