using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>Draws findings from what a comparison and the reading have shown. Pure.</summary>
internal sealed class ResultBuilder(
    Manifest manifest, Inventory inventory, MetadataComparison comparison, bool modesCompared, bool rememberProven)
{
    private readonly List<Finding> findings = [.. comparison.Findings];
    private readonly HashSet<string> accountedFor = new(StringComparer.Ordinal);
    private readonly Dictionary<string, Node> proven = new(StringComparer.Ordinal);

    /// <summary>True if a file's permission bits are as published, or close enough not to matter.</summary>
    internal static bool ModeFits(int found, int published) => ((found ^ published) & 0x1FF & ~ManifestFile.OwnChoice) == 0;

    public VerifyResult Draw(IReadOnlyList<ContentAnswer> answers, IReadOnlyList<ToRead> trusted)
    {
        foreach (var read in trusted)
            ConcludeRight(read);
        foreach (var answer in answers.Where(a => !a.Asked.IsMiscased))
            Conclude(answer);
        foreach (var candidates in answers.Where(a => a.Asked.IsMiscased).GroupBy(a => a.Asked.File.Path))
            ConcludeMiscased(candidates.First().Asked.File, candidates);
        AddStrays();
        if (rememberProven)
            RememberLinks();

        findings.Sort((a, b) => a.State != b.State ? a.State.CompareTo(b.State) : string.CompareOrdinal(a.Path, b.Path));
        var unreadable = findings.OfType<Unreadable>().Select(u => u.Path).ToHashSet(StringComparer.Ordinal);
        var lost = findings.Sum(f => f.BytesToFetch) + manifest.Files.Where(f => unreadable.Contains(f.Path)).Sum(f => f.Size);
        return new VerifyResult
        {
            Manifest = manifest,
            Release = ReleaseFacts.Of(manifest),
            Findings = findings,
            BytesRead = 0,
            Elapsed = default,
            ModesCompared = modesCompared,
            Proven = proven,
            BytesTrusted = trusted.Sum(t => t.File.Size),
            FilesTrusted = trusted.Count,
            BytesGood = manifest.TotalSize - lost,
        };
    }

    private void Conclude(ContentAnswer answer)
    {
        var (file, found) = (answer.Asked.File, answer.Asked.Found);
        if (answer.Failure is { } failure)
            findings.Add(new Unreadable(file.Path, failure));
        else if (answer.Bad.Count > 0 || found.Size != file.Size)
            findings.Add(new Damaged(file, found, answer.Ranges()));
        else
            ConcludeRight(answer.Asked);
    }

    private void ConcludeRight(ToRead read)
    {
        if (rememberProven)
            proven[read.Path] = read.Found;
        if (modesCompared && read.File.Mode is { } mode && !ModeFits(read.Found.Mode, mode))
            findings.Add(new WrongMode(read.File, read.Found));
    }

    private void ConcludeMiscased(ManifestFile file, IEnumerable<ContentAnswer> candidates)
    {
        var right = candidates.FirstOrDefault(c => c.Failure is null && c.Bad.Count == 0 && !accountedFor.Contains(c.Asked.Path));
        if (right is null)
        {
            findings.Add(new Missing(file));
            return;
        }

        accountedFor.Add(right.Asked.Path);
        findings.Add(new Miscased(file, right.Asked.Path, right.Asked.Found));
        if (rememberProven)
            proven[file.Path] = right.Asked.Found;
    }

    private void RememberLinks()
    {
        var wrong = findings.OfType<DamagedLink>().Select(l => l.Path).ToHashSet(StringComparer.Ordinal);
        foreach (var link in manifest.Links)
        {
            if (inventory.At(link)?.Node is { Kind: NodeKind.Link } node && !wrong.Contains(link.Path))
                proven[link.Path] = node;
        }
    }

    private void AddStrays()
    {
        var obstructions = findings.OfType<WrongKind>().Select(w => w.Path).ToHashSet(StringComparer.Ordinal);
        foreach (var entry in inventory.Unlisted.Values)
        {
            if (accountedFor.Contains(entry.Path) || obstructions.Contains(entry.Path)
                || ManifestPath.Folders(entry.Path).Any(obstructions.Contains))
                continue;
            if (entry.Node is { Kind: not NodeKind.Folder } node)
                findings.Add(new Stray(entry.Path, node));
        }
    }
}
