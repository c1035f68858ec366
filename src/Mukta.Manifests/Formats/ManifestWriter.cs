namespace Mukta.Manifests.Formats;

/// <summary>Writes a manifest in one of the formats.</summary>
public static class ManifestWriter
{
    /// <summary>Writes a manifest to a stream.</summary>
    /// <exception cref="MuktaException">The format is a folder's, or cannot say what is needed.</exception>
    public static void Write(Manifest manifest, Stream stream, ManifestFormat format)
    {
        switch (format)
        {
            case ManifestFormat.Metalink:
                MetalinkWriter.Write(manifest, stream);
                break;
            case ManifestFormat.Gnu or ManifestFormat.Bsd:
                ChecksumList.Write(manifest, stream, isBsd: format == ManifestFormat.Bsd);
                break;
            default:
                throw new MuktaException(
                    ExitCode.BadInput, "A bag is a folder, and cannot be written to standard output.", "-", "Name a folder with --out.");
        }
    }

    /// <summary>Writes a manifest to a file; for a bag the lists in its folder.</summary>
    /// <exception cref="MuktaException">It cannot be written, or the format cannot say what is needed.</exception>
    public static void WriteFile(Manifest manifest, string path, ManifestFormat format)
    {
        if (format != ManifestFormat.Bagit)
        {
            MetalinkWriter.WriteFile(stream => Write(manifest, stream, format), path);
            return;
        }

        try
        {
            Directory.CreateDirectory(Path.Join(path, Bag.Payload));
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new MuktaException(
                ExitCode.Blocked, $"The bag's folder cannot be made: {e.Message}", path, "Check the path and that you may write there.", e);
        }

        if (manifest.Links.FirstOrDefault(l => new FileInfo(Path.Join(path, Bag.Payload, l.Path)).LinkTarget is not null) is { } link)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A bag cannot list links, and other programs take them for files that are not listed.",
                Disk.PathBytes.Shown(link.Path), "Delete the links in its folder data, or use another format.");
        }

        var absent = manifest.Files.Where(f => !File.Exists(Path.Join(path, Bag.Payload, f.Path)));
        Bag.Write(path, manifest, [.. absent.Select(f => Fetch(manifest, f))]);
    }

    private static BagFetch Fetch(Manifest manifest, ManifestFile file) => new(
        (manifest.Bases.Select(b => MirrorUrl.Below(b.Url, file.Path)).FirstOrDefault()
        ?? (file.Urls is [{ Url: var url }, ..] ? url : null))
        ?? throw new MuktaException(
            ExitCode.BadInput, "This file is not in the bag's folder data, and the manifest names no mirror that has it.",
            Disk.PathBytes.Shown(file.Path), "Copy the release's files to the folder data of the bag first."),
        file.HasSize ? file.Size : null, file.Path);
}
