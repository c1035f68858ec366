using Mukta.Disk;

namespace Mukta.Manifests.Formats;

/// <summary>Reads a manifest in whatever format it is: its content tells.</summary>
[OutsideReader]
public static class ManifestReader
{
    private const int Looked = 512;

    /// <summary>Reads a file, or a folder that is a bag or holds checksum lists.</summary>
    /// <exception cref="ManifestFault">It is not a manifest that can be used.</exception>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static Manifest ReadFile(string path)
    {
        try
        {
            if (Directory.Exists(path))
                return Bag.IsAt(path) ? Bag.Read(path) : ChecksumList.ReadAll(ListsIn(path), path);
            using var stream = InputFile.Open(path, MetalinkNames.LongestFile);
            return IsXml(stream) ? MetalinkReader.ReadOpen(stream, path) : ChecksumList.Read(stream, path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentException or DiskException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The manifest cannot be opened.", path, "Check the path and that you may read the file.", e);
        }
    }

    /// <summary>Reads a manifest.</summary>
    /// <param name="stream">The manifest; it can be read from its beginning again.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="ManifestFault">It is not a manifest that can be used.</exception>
    public static Manifest Read(Stream stream, string source) =>
        IsXml(stream) ? MetalinkReader.Read(stream, source) : ChecksumList.Read(stream, source);

    /// <summary>The files of a folder that say what it lists; the path itself for a file.</summary>
    internal static IEnumerable<string> FilesOf(string path)
    {
        try
        {
            return !Directory.Exists(path) ? [path] : Bag.IsAt(path) ? [.. Bag.TagFiles(path)] : ListsIn(path);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or MuktaException)
        {
            return [path];
        }
    }

    /// <summary>The checksum lists of a folder, by their names.</summary>
    private static List<string> ListsIn(string folder)
    {
        var lists = Directory.EnumerateFiles(folder).Where(f => Path.GetFileName(f) is var name
            && (name.EndsWith("SUMS", StringComparison.Ordinal) || name.EndsWith("SUM", StringComparison.Ordinal)
            || Path.GetExtension(name).ToLowerInvariant() is ".sha256" or ".sha384" or ".sha512"
            or ".sha256sum" or ".sha384sum" or ".sha512sum"))
            .Order(StringComparer.Ordinal).ToList();
        return lists.Count > 0 ? lists : throw new MuktaException(
            ExitCode.BadInput, "This folder is not a bag and holds no checksum list.", folder,
            "Name the manifest's file, or a folder with files such as SHA256SUMS or game.sha256.");
    }

    /// <summary>True if a tag begins the text, or it is in an encoding that only XML comes in.</summary>
    private static bool IsXml(Stream stream)
    {
        var begin = new byte[Looked];
        var got = stream.ReadAtLeast(begin, Looked, throwOnEndOfStream: false);
        stream.Position = 0;
        var text = begin.AsSpan(0, got);
        if (text is [0xFE, 0xFF, ..] or [0xFF, 0xFE, ..] or [0, ..] or [(byte)'<', ..])
            return true;
        if (text is [0xEF, 0xBB, 0xBF, ..])
            text = text[3..];
        return text.TrimStart(" \t\r\n"u8) is [(byte)'<', ..] or [];
    }
}
