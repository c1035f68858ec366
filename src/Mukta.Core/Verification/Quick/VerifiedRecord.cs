using System.Buffers;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification.Quick;

/// <summary>What a verification has shown of an install, for a later quick one to trust.</summary>
/// <param name="Install">The install's folder, without links on its way.</param>
/// <param name="FileSystem">The file system that it is on, by its own number (f_fsid in statvfs(3)).</param>
/// <param name="Manifest">The state of the manifest's file as it was.</param>
/// <param name="Release">What the manifest is of.</param>
/// <param name="Since">When the oldest of the proofs was made, UTC.</param>
/// <param name="IsWhole">True if everything that the manifest lists was right, and is sealed.</param>
/// <param name="ModesCompared">True if the file system keeps permission bits.</param>
/// <param name="Folders">The seals, by folder.</param>
internal sealed record VerifiedRecord(
    string Install, ulong FileSystem, string Manifest, ReleaseFacts Release, DateTimeOffset Since, bool IsWhole, bool ModesCompared,
    IReadOnlyDictionary<string, SealedFolder> Folders)
{
    /// <summary>
    /// A file that was changed so shortly before it was checked may be changed again without its times showing it: clocks
    /// of file systems tick, some every two seconds (FAT). Such a one is never sealed.
    /// </summary>
    private static readonly TimeSpan Granularity = TimeSpan.FromSeconds(2);

    private static readonly TimeSpan FineGranularity = TimeSpan.FromMilliseconds(100);

    /// <summary>How many files are sealed.</summary>
    public long Count => Folders.Values.Sum(f => (long)f.Count);

    /// <summary>What a verification lets a later one trust.</summary>
    /// <param name="result">The verification; it must have remembered what it proved.</param>
    /// <param name="install">The install.</param>
    /// <param name="manifestIdentity">The state of the manifest's file as it was before it was read.</param>
    public static VerifiedRecord Of(VerifyResult result, Folder install, string manifestIdentity)
    {
        var granularity = FileSystemCapabilities.Of(install.Path).IsOfLinux ? FineGranularity : Granularity;
        var newest = ((result.LookedAt - granularity) - DateTimeOffset.UnixEpoch).Ticks * 100;
        var folders = new Dictionary<string, (ulong Device, ArrayBufferWriter<byte> Bytes)>(StringComparer.Ordinal);
        var sealedCount = 0L;
        using var hash = FileSeal.StartHash();
        foreach (var entry in result.Manifest.Files.Concat<ManifestEntry>(result.Manifest.Links))
        {
            if (!result.Proven.TryGetValue(entry.Path, out var node) || node.ChangedNs >= newest)
                continue;
            var slash = entry.Path.LastIndexOf('/');
            var folder = slash < 0 ? "" : entry.Path[..slash];
            if (!folders.TryGetValue(folder, out var into))
                folders.Add(folder, into = (node.Device, new ArrayBufferWriter<byte>()));
            if (into.Device != node.Device)
                continue; // A file that is mounted over another one.
            SealedFolder.Append(
                into.Bytes, entry.Path[(slash + 1)..], new FileSeal(node, entry is ManifestFile file ? FileSeal.ContentOf(file, hash) : 0));
            sealedCount++;
        }

        return new VerifiedRecord(
            install.RealPath, FileSystemCapabilities.NumberOf(install.Path), manifestIdentity, result.Release,
            result.TrustedSince ?? result.LookedAt,
            result.IsIntact && sealedCount == result.Manifest.Files.Count + result.Manifest.Links.Count, result.ModesCompared,
            folders.ToDictionary(
            f => f.Key, f => new SealedFolder(f.Value.Device, f.Value.Bytes.WrittenSpan.ToArray()), StringComparer.Ordinal));
    }

    /// <summary>The files that a verification of a manifest need not read again as long as they are as they were.</summary>
    public IReadOnlyDictionary<string, Node> TrustedFor(Manifest manifest)
    {
        var trusted = new Dictionary<string, Node>(StringComparer.Ordinal);
        var contents = manifest.Files.ToDictionary(f => f.Path, f => f, StringComparer.Ordinal);
        using var hash = FileSeal.StartHash();
        foreach (var (folder, seals) in Folders)
        {
            foreach (var (name, seal) in seals.All())
            {
                var path = folder.Length == 0 ? name : $"{folder}/{name}";
                if (seal.Kind == NodeKind.File && contents.TryGetValue(path, out var file)
                    && FileSeal.ContentOf(file, hash) == seal.Content)
                {
                    trusted.Add(path, new Node
                    {
                        Kind = seal.Kind,
                        Size = seal.Size,
                        Mode = seal.Mode,
                        Device = seals.Device,
                        Inode = seal.Inode,
                        ModifiedNs = seal.ModifiedNs,
                        ChangedNs = seal.ChangedNs,
                    });
                }
            }
        }

        return trusted;
    }
}
