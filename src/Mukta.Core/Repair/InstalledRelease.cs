using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>
/// The manifest of the release that a repair has brought an install to, kept in Mukta's own folder there: so that the next
/// release's repair knows which files are left over from it, and which are the user's.
/// </summary>
[OutsideReader]
public static class InstalledRelease
{
    private const string File = ManifestPath.OwnFolder + "/installed.meta4";

    /// <summary>The manifest that the last repair left in an install; null if there is none.</summary>
    /// <param name="install">The install's folder.</param>
    public static LazyManifest? ManifestIn(string install) =>
        Path.Join(install, File) is var path && System.IO.File.Exists(path) ? new LazyManifest(path) : null;

    /// <summary>The manifest of the release that was here before this one; null where it is the same, or not known.</summary>
    public static Manifest? Before(Folder install, Manifest manifest)
    {
        // Without it nothing is taken for a leftover.
        return TryRead(install) is not { } before || before.Product != manifest.Product
            || (before.Release, before.Sequence) == (manifest.Release, manifest.Sequence) ? null : before;
    }

    /// <summary>The release that the last repair left in an install, where it is newer than another one; null where it is not.</summary>
    public static ReleaseFacts? NewerThan(Folder install, ReleaseFacts other) =>
        TryRead(install) is { } there && there.Product == other.Product && there.Sequence > other.Sequence ? ReleaseFacts.Of(there) : null;

    private static Manifest? TryRead(Folder install)
    {
        try
        {
            if (install.Look(File) is not { Kind: NodeKind.File })
                return null;
            using var stream = install.OpenStream(File, MetalinkNames.LongestFile);
            return MetalinkReader.Read(stream, File);
        }
        catch (MuktaException)
        {
            return null;
        }
    }

    /// <summary>Remembers what an install has been brought to. A disk that has no room for it keeps no repair from being done.</summary>
    internal static void TryPut(Folder install, Manifest manifest)
    {
        try
        {
            Put(install, manifest);
        }
        catch (Exception e) when (e is DiskException or IOException)
        {
            // Then the next release's repair takes nothing for a leftover.
        }
    }

    private static void Put(Folder install, Manifest manifest)
    {
        const string Staged = File + ".new";
        if (install.Look(Staged) is not null)
            install.RemoveFile(Staged);
        using (var file = install.CreateFile(Staged, 0b110_100_100))
        {
            using (var stream = file.AsStream())
                MetalinkWriter.Write(manifest, stream);
            file.Flush();
        }

        var like = install.Look(ManifestPath.OwnFolder)!.Value;
        install.SetOwner(Staged, like.User, like.Group);
        install.Move(Staged, File, replace: true);
    }
}
