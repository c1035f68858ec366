using System.Text;
using Mukta.Disk;
using Mukta.Hashing;

namespace Mukta.Manifests.Formats;

/// <summary>
/// Checksum lists in the style of the GNU tools (<c>sha256sum</c>) and of the BSD ones (<c>sha256sum --tag</c>). They know names and hashes
/// of whole files, and nothing else.
/// </summary>
[OutsideReader]
public static class ChecksumList
{
    /// <summary>A line of a list.</summary>
    /// <param name="Path">The name.</param>
    /// <param name="Hash">The hash.</param>
    /// <param name="Line">The line's number.</param>
    internal readonly record struct Entry(string Path, ContentHash Hash, int Line);

    /// <summary>Reads a list.</summary>
    /// <param name="stream">The list.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="ManifestFault">It cannot be used.</exception>
    public static Manifest Read(Stream stream, string source)
    {
        var merged = new MergedHashes(source);
        merged.Add(Entries(new BoundedLines(stream, source), out var format), source);
        return merged.Made(format);
    }

    /// <summary>Reads all lists in a folder: a file that several of them name has all of their hashes.</summary>
    /// <exception cref="ManifestFault">One of them cannot be used, or two contradict each other.</exception>
    internal static Manifest ReadAll(IReadOnlyList<string> lists, string source)
    {
        var (merged, style) = (new MergedHashes(source), ManifestFormat.Gnu);
        foreach (var list in lists)
        {
            using var stream = InputFile.Open(list, MetalinkNames.LongestFile);
            merged.Add(Entries(new BoundedLines(stream, list), out style), list);
        }

        return merged.Made(style);
    }

    /// <summary>Writes a list, its lines in the order of the names.</summary>
    /// <exception cref="MuktaException">A file has no hash of its whole content.</exception>
    public static void Write(Manifest manifest, Stream stream, bool isBsd)
    {
        using var text = new StreamWriter(stream, new UTF8Encoding(false), leaveOpen: true) { NewLine = "\n" };
        foreach (var file in manifest.Files.OrderBy(f => f.Path, StringComparer.Ordinal))
        {
            var hash = WholeHash(file);
            text.WriteLine(isBsd ? $"{BsdName(hash.Kind)} ({file.Path}) = {hash.Hex}" : $"{hash.Hex}  {file.Path}");
        }
    }

    /// <summary>The best hash of a file's whole content.</summary>
    /// <exception cref="MuktaException">It has none.</exception>
    internal static ContentHash WholeHash(ManifestFile file) => file.Hashes is [var best, ..] ? best : throw new MuktaException(
        ExitCode.BadInput, "The manifest has hashes of this file's pieces only, which the other format cannot say.",
        PathBytes.Shown(file.Path), "Make a new manifest of the files with: mukta manifest make DIR --out FILE");

    private static List<Entry> Entries(BoundedLines lines, out ManifestFormat format)
    {
        (var entries, format) = (new List<Entry>(), ManifestFormat.Gnu);
        while (lines.Next() is { } line)
        {
            if (line.Length == 0 || line[0] == '#')
                continue;
            var isEscaped = line[0] == '\\';
            var rest = isEscaped ? line[1..] : line;
            var isBsd = Bsd(rest) is not null;
            if ((Bsd(rest) ?? Gnu(rest)) is not var (name, hash))
            {
                throw lines.Fault(
                    entries.Count == 0 ? "This is not a manifest: it is neither Metalink nor a checksum list."
                    : "This line is not a checksum with a name: a SHA-256, SHA-384 or SHA-512 hash in hexadecimal belongs here.");
            }

            if (isBsd)
                format = ManifestFormat.Bsd;
            var path = isEscaped ? Unescaped(name) ?? throw lines.Fault("A backslash in this name escapes nothing.") : name;
            while (path.StartsWith("./", StringComparison.Ordinal))
                path = path[2..].TrimStart('/');
            entries.Add(new Entry(path, hash, lines.Number));
        }

        return entries;
    }

    /// <summary>"HASH  NAME" or "HASH *NAME"; null for anything else.</summary>
    private static (string Name, ContentHash Hash)? Gnu(string line)
    {
        var space = line.IndexOf(' ', StringComparison.Ordinal);
        return space > 0 && line.Length > space + 2 && line[space + 1] is ' ' or '*' && OfLength(line[..space]) is { } hash
            ? (line[(space + 2)..], hash) : null;
    }

    /// <summary>"FUNCTION (NAME) = HASH"; null for anything else.</summary>
    private static (string Name, ContentHash Hash)? Bsd(string line)
    {
        var (open, close) = (line.IndexOf(" (", StringComparison.Ordinal), line.LastIndexOf(") = ", StringComparison.Ordinal));
        return open > 0 && close > open + 2 && KindOf(line[..open]) is { } kind && OfLength(line[(close + 4)..].Trim()) is { } hash
            && hash.Kind == kind ? (line[(open + 2)..close], hash) : null;
    }

    /// <summary>A hash by the number of its digits.</summary>
    public static ContentHash? OfLength(string hex)
    {
        foreach (var kind in Enum.GetValues<HashKind>())
        {
            if (hex.Length == 2 * kind.DigestLength())
                return hex.All(char.IsAsciiHexDigit) ? new ContentHash(kind, Convert.FromHexString(hex)) : null;
        }

        return null;
    }

    internal static HashKind? KindOf(string name) => name.ToUpperInvariant() switch
    {
        "SHA256" => HashKind.Sha256,
        "SHA384" => HashKind.Sha384,
        "SHA512" => HashKind.Sha512,
        "SHA1" => HashKind.Sha1,
        "MD5" => HashKind.Md5,
        _ => null,
    };

    /// <summary>What a function is called in a BSD list, and in lower case in the name of a bag's list.</summary>
    internal static string BsdName(HashKind kind) => kind.ToString().ToUpperInvariant();

    /// <summary>A name with its escapes resolved: backslash, line feed and carriage return; null for another escape.</summary>
    private static string? Unescaped(string name)
    {
        var text = new StringBuilder(name.Length);
        for (var i = 0; i < name.Length; i++)
        {
            if (name[i] != '\\')
            {
                text.Append(name[i]);
                continue;
            }

            if (++i == name.Length || name[i] is not ('\\' or 'n' or 'r'))
                return null;
            text.Append(name[i] switch { 'n' => '\n', 'r' => '\r', _ => '\\' });
        }

        return text.ToString();
    }
}
