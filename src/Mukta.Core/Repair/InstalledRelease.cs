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
    private const string Staged = File + ".new";

    /// <summary>The manifest that the last repair left in an install; null if there is none.</summary>
    /// <param name="install">The install's folder.</param>
    public static LazyManifest? ManifestIn(string install) =>
        Path.Join(install, File) is var path && System.IO.File.Exists(path) ? new LazyManifest(path) : null;

    /// <summary>The manifest of the release that was here before this one; null if it is the same, or not known.</summary>
    public static Manifest? Before(Folder install, Manifest manifest)
    {
        // Without it nothing is taken for a leftover.
        return TryRead(install) is not { } before || before.Product != manifest.Product
            || (before.Release, before.Sequence) == (manifest.Release, manifest.Sequence) ? null : before;
    }

    /// <summary>The release that the last repair left in an install, where it is newer than another one; null if it is not.</summary>
    public static ReleaseFacts? NewerThan(Folder install, ReleaseFacts other) =>
        TryRead(install) is { } there && there.Product == other.Product && there.Sequence > other.Sequence ? ReleaseFacts.Of(there) : null;

    /// <summary>The release that the last repair left in an install, where it is older than another one; null if it is not.</summary>
    public static ReleaseFacts? OlderThan(Folder install, ReleaseFacts other) =>
        TryRead(install) is { } there && there.Product == other.Product && there.Sequence < other.Sequence ? ReleaseFacts.Of(there) : null;

    /// <summary>The release that an install is of and the newest that is known, where that is a newer one; null if it is not.</summary>
    /// <param name="install">The install.</param>
    /// <param name="known">The releases that are known.</param>
    public static (ReleaseFacts There, ReleaseFacts Newest)? Gap(string install, IReadOnlyList<Manifest> known)
    {
        if (known.MaxBy(m => m.Sequence ?? -1) is not { } newest)
            return null;
        try
        {
            using var folder = Folder.Open(install);
            var facts = ReleaseFacts.Of(newest);
            return OlderThan(folder, facts) is { } there ? (there, facts) : null;
        }
        catch (MuktaException)
        {
            return null; // What keeps it from being read is said elsewhere.
        }
    }

    /// <summary>Refuses to take an install back to an older release, unless that is meant.</summary>
    /// <param name="install">The install.</param>
    /// <param name="manifest">The release that it is going to be brought to.</param>
    /// <param name="release">The release that the user has named; null for none.</param>
    /// <param name="command">The command that goes back on purpose, without its option.</param>
    /// <exception cref="MuktaException">The install is newer.</exception>
    public static void RefuseNewer(Folder install, Manifest manifest, string? release, string command)
    {
        if ((release is null || manifest.Release != release) && NewerThan(install, ReleaseFacts.Of(manifest)) is { } newer)
        {
            throw new MuktaException(
                ExitCode.NotTrusted,
                $"The install is newer than the manifest: {PathBytes.Shown(newer.Title)} instead of "
                + $"{PathBytes.Shown(ReleaseFacts.Of(manifest).Title)}.", PathBytes.Shown(install.Path),
                "Nothing was touched. Get the newer release's manifest, or go back on purpose with: "
                + $"{command} --release {manifest.Release ?? "VERSION"}");
        }
    }

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

    /// <summary>
    /// Writes down what an install is being brought to; <see cref="TryPut"/> puts it in its place. False if the disk has no room for it:
    /// that keeps no repair from being done, and then the next release's repair takes nothing for a leftover.
    /// </summary>
    internal static bool TryStage(Folder install, Manifest manifest)
    {
        try
        {
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
            return true;
        }
        catch (Exception e) when (e is DiskException or IOException)
        {
            return false;
        }
    }

    /// <summary>Remembers what an install has been brought to, or discards what was written down.</summary>
    internal static void TryPut(Folder install, bool isIntact)
    {
        try
        {
            if (isIntact)
                install.Move(Staged, File, replace: true);
            else
                install.RemoveFile(Staged);
        }
        catch (DiskException)
        {
            // The next repair writes it again.
        }
    }
}
