using System.Globalization;
using System.Text;
using Mukta.Disk;
using Mukta.Hashing;

namespace Mukta.Manifests.Formats;

/// <summary>A file that a bag does not hold itself, see <c>fetch.txt</c> in RFC 8493, 2.2.3.</summary>
/// <param name="Url">Where it can be downloaded from.</param>
/// <param name="Length">Bytes; null if the bag does not say.</param>
/// <param name="Path">Below the bag's folder "data".</param>
public sealed record BagFetch(Uri Url, long? Length, string Path);

/// <summary>
/// Bags (BagIt 1.0, RFC 8493; 0.97 is read as well): folders with their files in <c>data</c>, lists of hashes beside it, and lists of those
/// lists. What a bag's lists say is proven against its tag manifests when they are read.
/// </summary>
[OutsideReader]
public static class Bag
{
    /// <summary>The folder of a bag that holds its files.</summary>
    public const string Payload = "data";

    private const string Declaration = "bagit.txt", Info = "bag-info.txt", Fetch = "fetch.txt";
    private const string OfPayload = "manifest-", OfTags = "tagmanifest-", Ending = ".txt";
    private const long LongestTagFile = 1L << 30;

    /// <summary>The files that <see cref="Write"/> makes beside that folder, where nothing is fetched.</summary>
    public static IReadOnlyList<string> OwnFiles { get; } =
        [Declaration, Info, $"{OfPayload}sha256{Ending}", $"{OfTags}sha256{Ending}"];

    /// <summary>True for a folder that says it is a bag.</summary>
    public static bool IsAt(string folder) => File.Exists(Path.Join(folder, Declaration));

    /// <summary>The files that say what is in a bag.</summary>
    internal static IEnumerable<string> TagFiles(string folder) =>
        Lists(folder, OfPayload).Concat(Lists(folder, OfTags)).Concat([Path.Join(folder, Declaration), Path.Join(folder, Fetch)]);

    /// <summary>Reads what a bag lists: the names are those below its folder <c>data</c>.</summary>
    /// <exception cref="ManifestFault">It is not a bag that can be used.</exception>
    internal static Manifest Read(string folder)
    {
        var isComplete = ReadDeclaration(Path.Join(folder, Declaration));
        ProveTagFiles(folder);
        var lists = Lists(folder, OfPayload);
        if (lists.Count == 0)
            throw new ManifestFault("The bag has no list of its files that Mukta can read (manifest-sha256.txt).", folder, 1, 1);
        var merged = new MergedHashes(folder);
        foreach (var list in lists)
        {
            var entries = Entries(list, Payload + "/").ToList();
            merged.Add(entries, list);
            if (isComplete && entries.Select(e => e.Path).Distinct(StringComparer.Ordinal).Count() != merged.Names.Count)
                throw new ManifestFault("Not every list of the bag lists the same files.", list, 1, 1);
        }

        var fetched = ReadFetch(Path.Join(folder, Fetch)).ToLookup(f => f.Path, StringComparer.Ordinal);
        using var payload = Directory.Exists(Path.Join(folder, Payload)) ? Folder.Open(Path.Join(folder, Payload)) : null;
        return merged.Made(
            ManifestFormat.Bagit, path => SizeIn(payload, path) ?? fetched[path].FirstOrDefault()?.Length,
            path => [.. fetched[path].Select(f => new MirrorUrl(f.Url))]);
    }

    /// <summary>Writes what makes a folder a bag: its declaration, its lists, and last the list of those.</summary>
    /// <param name="folder">The bag's folder. Its files are in <c>data</c> already, or can be downloaded from elsewhere.</param>
    /// <param name="manifest">The files, with names below <c>data</c>.</param>
    /// <param name="fetch">Those that can be downloaded from elsewhere.</param>
    /// <param name="more">Other files of the bag that its tag manifest is to vouch for, relative to its folder.</param>
    /// <exception cref="MuktaException">It cannot be written.</exception>
    public static void Write(string folder, Manifest manifest, IReadOnlyList<BagFetch> fetch, params IReadOnlyList<string> more)
    {
        var kind = ChecksumList.WholeHash(manifest.Files[0]).Kind;
        var list = $"{OfPayload}{kind.ToString().ToLowerInvariant()}{Ending}";
        var written = new List<string>([Declaration, list, Info, .. more]);
        Put(Declaration, "BagIt-Version: 1.0\nTag-File-Character-Encoding: UTF-8\n");
        Put(Info, string.Create(
            CultureInfo.InvariantCulture,
            $"Bag-Software-Agent: mukta\nPayload-Oxum: {manifest.TotalSize}.{manifest.Files.Count}\n"));
        Put(list, string.Concat(manifest.Files.OrderBy(f => f.Path, StringComparer.Ordinal)
            .Select(f => $"{HashOf(f, kind).Hex}  {Payload}/{Escaped(f.Path)}\n")));
        if (fetch.Count > 0)
        {
            Put(Fetch, string.Concat(fetch.OrderBy(f => f.Path, StringComparer.Ordinal).Select(
                f => $"{f.Url.AbsoluteUri} {f.Length?.ToString(CultureInfo.InvariantCulture) ?? "-"} {Payload}/{Escaped(f.Path)}\n")));
            written.Add(Fetch);
        }
        else if (File.Exists(Path.Join(folder, Fetch)))
            File.Delete(Path.Join(folder, Fetch));

        Put($"{OfTags}sha256{Ending}", string.Concat(written.Order(StringComparer.Ordinal)
            .Select(w => $"{HashOf(Path.Join(folder, w), HashKind.Sha256).Hex}  {Escaped(w)}\n")));

        void Put(string name, string text) =>
            MetalinkWriter.WriteFile(stream => stream.Write(Encoding.UTF8.GetBytes(text)), Path.Join(folder, name));
    }

    private static ContentHash HashOf(ManifestFile file, HashKind kind) => file.Hashes.FirstOrDefault(h => h.Kind == kind)
        ?? throw new MuktaException(
        ExitCode.BadInput, $"Not every file of the manifest has a {kind.IanaName()} hash, which a bag's list needs.",
        PathBytes.Shown(file.Path), "Make a new manifest of the files with: mukta manifest make DIR --out FILE");

    private static ContentHash HashOf(string file, HashKind kind)
    {
        using var stream = InputFile.Open(file, MetalinkNames.LongestFile);
        using var hash = kind.Start();
        var buffer = new byte[1 << 16];
        while (stream.Read(buffer) is var got and > 0)
            hash.AppendData(buffer, 0, got);
        return new ContentHash(kind, hash.GetHashAndReset());
    }

    /// <summary>True for a bag of version 1.0, in which every list has to list every file.</summary>
    private static bool ReadDeclaration(string file)
    {
        using var stream = InputFile.Open(file, LongestTagFile);
        var lines = new BoundedLines(stream, file);
        var version = lines.Next();
        if (version is not ("BagIt-Version: 1.0" or "BagIt-Version: 0.97"))
            throw lines.Fault("This bag is of a version that Mukta does not know: it reads BagIt 1.0 and 0.97.");
        return lines.Next()?.Replace(" ", "", StringComparison.Ordinal).ToUpperInvariant() == "TAG-FILE-CHARACTER-ENCODING:UTF-8"
            ? version.EndsWith("1.0", StringComparison.Ordinal)
            : throw lines.Fault("This bag's lists are in another encoding than UTF-8.");
    }

    private static void ProveTagFiles(string folder)
    {
        foreach (var list in Lists(folder, OfTags))
        {
            foreach (var entry in Entries(list, ""))
            {
                if (ManifestPath.Fault(entry.Path) is { } fault)
                    throw new ManifestFault($"The name \"{PathBytes.Shown(entry.Path)}\" {fault}.", list, entry.Line, 1);
                if (entry.Path.StartsWith(Payload + "/", StringComparison.Ordinal))
                    throw new ManifestFault("The list of the bag's own files lists one of its payload.", list, entry.Line, 1);
                ContentHash found;
                try
                {
                    found = HashOf(Path.Join(folder, entry.Path), entry.Hash.Kind);
                }
                catch (DiskException e)
                {
                    throw new ManifestFault($"The bag's file \"{PathBytes.Shown(entry.Path)}\" cannot be read.", list, entry.Line, 1, e);
                }

                if (!found.Digest.AsSpan().SequenceEqual(entry.Hash.Digest))
                {
                    throw new ManifestFault(
                        $"The bag's file \"{PathBytes.Shown(entry.Path)}\" is not the one that was put there.", list, entry.Line, 1);
                }
            }
        }
    }

    private static List<string> Lists(string folder, string beginning) =>
        [.. Directory.EnumerateFiles(folder, $"{beginning}*{Ending}").Where(f => KindOf(f, beginning) is not null)
            .Order(StringComparer.Ordinal)];

    private static HashKind? KindOf(string file, string beginning) =>
        ChecksumList.KindOf(Path.GetFileName(file)[beginning.Length..^Ending.Length]);

    private static IEnumerable<ChecksumList.Entry> Entries(string list, string below)
    {
        var kind = KindOf(list, Path.GetFileName(list).StartsWith(OfTags, StringComparison.Ordinal) ? OfTags : OfPayload);
        using var stream = InputFile.Open(list, MetalinkNames.LongestFile);
        var lines = new BoundedLines(stream, list);
        while (lines.Next() is { } line)
        {
            if (line.Length == 0)
                continue;
            var space = line.IndexOfAny([' ', '\t']);
            if (space < 0 || ChecksumList.OfLength(line[..space]) is not { } hash || hash.Kind != kind)
                throw lines.Fault("This line is not a hash with a name.");
            var path = Unescaped(line[space..].TrimStart(' ', '\t', '*'));
            if (!path.StartsWith(below, StringComparison.Ordinal))
                throw lines.Fault($"The name \"{PathBytes.Shown(path)}\" does not lie in the bag's folder {Payload}.");
            yield return new ChecksumList.Entry(path[below.Length..], hash, lines.Number);
        }
    }

    private static List<BagFetch> ReadFetch(string file)
    {
        var fetch = new List<BagFetch>();
        if (!File.Exists(file))
            return fetch;
        using var stream = InputFile.Open(file, MetalinkNames.LongestFile);
        var lines = new BoundedLines(stream, file);
        while (lines.Next() is { } line)
        {
            if (line.Length == 0)
                continue;
            if (line.Split((char[])[' ', '\t'], 3, StringSplitOptions.RemoveEmptyEntries) is not [var url, var length, var path]
                || !Uri.TryCreate(url, UriKind.Absolute, out var address) || !path.StartsWith(Payload + "/", StringComparison.Ordinal)
                || (length != "-" && Length(length) is null))
                throw lines.Fault("This line is not an address, a length and a name in the bag's folder data.");
            if (fetch.Count == MetalinkNames.MostEntries)
                throw lines.Fault($"More than {MetalinkNames.MostEntries} files stand here.");
            if (address.Scheme == Uri.UriSchemeHttp || address.Scheme == Uri.UriSchemeHttps)
            {
                fetch.Add(new BagFetch(address, Length(length), Unescaped(path)[(Payload.Length + 1)..]));
            }
        }

        return fetch;
    }

    private static long? Length(string text) =>
        long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var bytes) && bytes <= MetalinkNames.MostBytes
            ? bytes : null;

    private static long? SizeIn(Folder? payload, string path)
    {
        try
        {
            return payload?.Look(path) is { Kind: NodeKind.File, Size: var size } ? size : null;
        }
        catch (DiskException)
        {
            return null;
        }
    }

    /// <summary>Line ends and percent signs are the only characters that are escaped in a bag's lists (RFC 8493, 2.1.3).</summary>
    private static string Escaped(string path) => path.Replace("%", "%25", StringComparison.Ordinal);

    private static string Unescaped(string path) => path.Replace("%0A", "\n", StringComparison.OrdinalIgnoreCase)
        .Replace("%0D", "\r", StringComparison.OrdinalIgnoreCase).Replace("%25", "%", StringComparison.Ordinal);
}
