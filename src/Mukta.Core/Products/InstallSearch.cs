using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Operations;

namespace Mukta.Products;

/// <summary>
/// Looks through everything below a folder for installs, by the names and sizes that manifests list. A file is checked
/// only if a manifest lists one of its name in a folder of that name; no byte is read.
/// </summary>
public sealed class InstallSearch
{
    private const double Enough = 0.5;

    private readonly Dictionary<byte[], List<Listed>> byName = new(NameComparer.Instance);
    private readonly IReadOnlyList<(Profile Profile, Manifest Manifest)> releases;

    private const long AnySize = -1;

    private sealed record Listed(int Release, string Folder, long Size);

    /// <summary>Prepares a search.</summary>
    /// <param name="releases">What is looked for.</param>
    public InstallSearch(IReadOnlyList<(Profile Profile, Manifest Manifest)> releases)
    {
        this.releases = releases;
        foreach (var (release, i) in releases.Select((r, i) => (r, i)))
        {
            foreach (var file in release.Manifest.Files)
            {
                var slash = file.Path.LastIndexOf('/');
                var name = PathBytes.Encode(file.Path.AsSpan(slash + 1));
                if (!byName.TryGetValue(name, out var listed))
                    byName.Add(name, listed = []);
                listed.Add(new Listed(i, slash < 0 ? "" : "/" + file.Path[..slash], file.HasSize ? file.Size : AnySize));
            }
        }
    }

    /// <summary>Searches. Links are not followed; what cannot be entered, and what the kernel shows of itself, is skipped.</summary>
    /// <param name="folder">Where to begin.</param>
    /// <param name="meter">Counts the names.</param>
    /// <param name="cancel">Ends it.</param>
    /// <returns>For each product the folders that agree with a release of it, best first.</returns>
    public IReadOnlyList<(Profile Profile, FoundInstall Install)> Below(string folder, WorkMeter? meter, CancellationToken cancel)
    {
        using var root = Folder.Open(folder);
        using var top = root.OpenFolder("");
        var walk = new Walk(
            byName, Mount.Table().Where(m => m.IsOfTheKernel).Select(m => m.Point).ToHashSet(StringComparer.Ordinal), meter, cancel);
        walk.Enter(top, root.RealPath.TrimEnd('/'), 1);
        return [.. walk.Agreeing.Select(a => Judged(a.Key.Release, a.Key.Root, a.Value)).Where(j => j.Install.Evidence!.Share >= Enough)
            .GroupBy(j => (j.Profile.Product, j.Install.Path)).Select(g => g.MaxBy(j => j.Install.Evidence!.Share))
            .GroupBy(j => j.Profile.Product)
            .SelectMany(g => InstallFinder.WithNewestCurrent([.. g.Select(j => j.Install)], g.First().Profile)
                .OrderByDescending(i => i.Evidence!.Share).ThenBy(i => i.Path, StringComparer.Ordinal)
                .Select(i => (g.First().Profile, i)))];
    }

    private (Profile Profile, FoundInstall Install) Judged(int release, string root, (int Files, long Bytes) there)
    {
        var (profile, manifest) = releases[release];
        var hasMarker = profile.Installs.Marker is not { } marker || File.Exists(Path.Join(root, marker));
        return (profile, new FoundInstall(
            root, IsCurrent: true, hasMarker,
            new InstallEvidence(manifest.Files.Count, there.Files, there.Bytes, manifest.TotalSize))
        {
            Release = manifest.Release,
            IsSearched = true
        });
    }

    private sealed class Walk(
        Dictionary<byte[], List<Listed>> byName, HashSet<string> passedOver, WorkMeter? meter, CancellationToken cancel)
    {
        private readonly Dictionary<byte[], List<Listed>>.AlternateLookup<ReadOnlySpan<byte>> lookup =
            byName.GetAlternateLookup<ReadOnlySpan<byte>>();

        public Dictionary<(int Release, string Root), (int Files, long Bytes)> Agreeing { get; } = [];

        public void Enter(SafeFileHandle folder, string path, int depth)
        {
            cancel.ThrowIfCancellationRequested();
            var inner = new List<byte[]>();
            try
            {
                FolderStream.Each(folder, path, (name, type) =>
                {
                    meter?.CountFile();
                    if (type == FolderStream.OfFolder || (type == FolderStream.Untold && IsFolder(folder, name)))
                        inner.Add(name.ToArray());
                    else if (type is FolderStream.OfFile or FolderStream.Untold && lookup.TryGetValue(name, out var listed))
                        Compare(folder, path, name, listed);
                });
            }
            catch (DiskException)
            {
                return; // It cannot be listed any further; what was seen counts.
            }

            foreach (var name in inner)
                EnterInner(folder, path, name, depth);
        }

        private void EnterInner(SafeFileHandle folder, string path, byte[] name, int depth)
        {
            var inside = $"{path}/{PathBytes.Decode(name.AsSpan(0, name.Length - 1))}";
            if (depth >= TreeWalk.DeepestFolder || inside.EndsWith("/" + ManifestPath.OwnFolder, StringComparison.Ordinal)
                || inside.EndsWith("/mukta/" + KeptArea.FolderName, StringComparison.Ordinal) || passedOver.Contains(inside))
                return;
            using var handle = FolderStream.Open(folder, name);
            if (handle is not null)
                Enter(handle, inside, depth + 1);
        }

        private static bool IsFolder(SafeFileHandle folder, ReadOnlySpan<byte> name) =>
            FolderStream.Look(folder, name) is { Kind: NodeKind.Folder };

        private void Compare(SafeFileHandle folder, string path, ReadOnlySpan<byte> name, List<Listed> listed)
        {
            Node? node = null;
            foreach (var file in listed)
            {
                if (!path.EndsWith(file.Folder, StringComparison.Ordinal))
                    continue;
                node ??= FolderStream.Look(folder, name) ?? default(Node);
                if (node is not { Kind: NodeKind.File, Inode: > 0 } there || (there.Size != file.Size && file.Size != AnySize))
                    continue;
                var key = (file.Release, path[..^file.Folder.Length] is { Length: > 0 } root ? root : "/");
                var (files, bytes) = Agreeing.GetValueOrDefault(key);
                Agreeing[key] = (files + 1, bytes + there.Size);
            }
        }
    }

    /// <summary>Names as the kernel gives them, without making a text of each.</summary>
    private sealed class NameComparer : IEqualityComparer<byte[]>, IAlternateEqualityComparer<ReadOnlySpan<byte>, byte[]>
    {
        public static NameComparer Instance { get; } = new();

        public bool Equals(byte[]? x, byte[]? y) => x.AsSpan().SequenceEqual(y);

        public int GetHashCode(byte[] obj) => GetHashCode(obj.AsSpan());

        public bool Equals(ReadOnlySpan<byte> alternate, byte[] other) => alternate.SequenceEqual(other);

        public int GetHashCode(ReadOnlySpan<byte> alternate)
        {
            var hash = default(HashCode);
            hash.AddBytes(alternate);
            return hash.ToHashCode();
        }

        public byte[] Create(ReadOnlySpan<byte> alternate) => alternate.ToArray();
    }
}
