namespace Mukta.Manifests.Formats;

/// <summary>Files with the hashes that one or several lists have of them.</summary>
/// <param name="source">What to call all of the lists together.</param>
internal sealed class MergedHashes(string source)
{
    private readonly Dictionary<string, List<ContentHash>> files = new(StringComparer.Ordinal);
    private readonly EntryNames names = new((what, place) => new ManifestFault(what, source, place.Line, place.Column));

    /// <summary>The files' names.</summary>
    public IReadOnlyCollection<string> Names => files.Keys;

    /// <summary>Takes the lines of a list.</summary>
    /// <exception cref="ManifestFault">A name is not a good one, or two lines contradict each other.</exception>
    public void Add(IEnumerable<ChecksumList.Entry> entries, string list)
    {
        foreach (var entry in entries)
        {
            if (!files.TryGetValue(entry.Path, out var hashes))
            {
                names.Claim(entry.Path, (entry.Line, 1));
                files.Add(entry.Path, hashes = new List<ContentHash>(1));
            }

            if (hashes.Find(h => h.Kind == entry.Hash.Kind) is not { } known)
                hashes.Add(entry.Hash);
            else if (!known.Digest.AsSpan().SequenceEqual(entry.Hash.Digest))
            {
                throw new ManifestFault(
                    $"The name \"{Disk.PathBytes.Shown(entry.Path)}\" stands here again with another hash.", list, entry.Line, 1);
            }
        }
    }

    /// <summary>The manifest.</summary>
    /// <param name="format">What it was read from.</param>
    /// <param name="sizeOf">The size of a file; null for one that nobody knows.</param>
    /// <param name="urlsOf">Where a file can be downloaded from.</param>
    /// <exception cref="ManifestFault">There is no file, or a name is in the way of another.</exception>
    public Manifest Made(
        ManifestFormat format, Func<string, long?>? sizeOf = null, Func<string, IReadOnlyList<MirrorUrl>>? urlsOf = null)
    {
        if (files.Count == 0)
            throw new ManifestFault("The manifest lists no file.", source, 1, 1);
        names.RefuseClashes();
        var made = files.Select(f => new ManifestFile
        {
            Path = f.Key,
            Size = sizeOf?.Invoke(f.Key) ?? 0,
            HasSize = sizeOf?.Invoke(f.Key) is not null,
            Hashes = f.Value,
            Extras = urlsOf?.Invoke(f.Key) is { Count: > 0 } urls ? new FileExtras { Urls = urls } : null,
        }).ToList();
        EntryNames.Sort(made);
        return new Manifest { Files = made, Format = format };
    }
}
