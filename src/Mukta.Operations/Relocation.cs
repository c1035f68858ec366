using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Moves things by rename; between two mounts, where no rename works, by a checked copy beside the target that is then renamed, after
/// which the original is removed. Safe to do again after an interruption.
/// </summary>
internal static class Relocation
{
    private const string Part = ".mukta-part";

    /// <summary>Moves what is at a path.</summary>
    /// <exception cref="DiskException">It cannot be moved.</exception>
    public static void Move(Folder anchor, string from, string to, bool replace = false)
    {
        try
        {
            anchor.Move(from, to, replace);
        }
        catch (DiskException e) when (e.Errno == DiskException.OtherDevice && anchor.Look(from) is not null)
        {
            Copy(anchor, from, to, replace);
            TreeBulk.Remove(anchor, from, CancellationToken.None);
        }
    }

    /// <summary>True if what was at a path has been moved. A copy that was made between two mounts is completed.</summary>
    public static bool Settle(Folder anchor, string from, string to)
    {
        if (anchor.Look(to + Part) is not null)
            TreeBulk.Remove(anchor, to + Part, CancellationToken.None);
        if (anchor.Look(to) is not { } there)
            return false;
        if (anchor.Look(from) is not { } left)
            return true;
        if (there.MountId == left.MountId)
            return false;
        TreeBulk.Remove(anchor, from, CancellationToken.None); // The copy has its name, so it is whole; the original was about to go.
        return true;
    }

    private static void Copy(Folder anchor, string from, string to, bool replace)
    {
        var part = to + Part;
        if (anchor.Look(part) is not null)
            TreeBulk.Remove(anchor, part, CancellationToken.None);
        if (!replace && anchor.Look(to) is not null)
            throw new DiskException(DiskException.Exists, "move", Path.Join(anchor.Path, to));
        new TreeCopy(anchor, anchor, CopyWay.Bytes).CopyAny(from, part);
        anchor.Flush(Folder.ParentOf(part));
        anchor.Move(part, to, replace);
        anchor.Flush(Folder.ParentOf(to));
    }
}
