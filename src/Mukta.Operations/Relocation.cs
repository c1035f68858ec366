using System.Globalization;
using System.IO.Hashing;
using System.Text;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Moves things by rename. Between two mounts, where no rename works, a checked copy is made beside the target; then the original gets
/// another name, the copy its own, and the original is removed. So an interruption can be told from something that a program has made
/// meanwhile in the place of either.
/// </summary>
internal static class Relocation
{
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
        }
    }

    /// <summary>
    /// Completes a move between two mounts that was interrupted once its copy was whole; otherwise takes it back. What both places hold
    /// tells afterwards whether the move is done.
    /// </summary>
    public static void Settle(Folder anchor, string from, string to)
    {
        var (part, copied) = (PartOf(to), CopiedOf(from));
        if (anchor.Look(copied) is not null)
        {
            if (anchor.Look(part) is null)
            {
                TryRemove(anchor, copied);
            }
            else if (anchor.Look(to) is null)
            {
                Complete(anchor, part, to, replace: false);
                TryRemove(anchor, copied);
            }
            else if (anchor.Look(from) is null)
            {
                anchor.Move(copied, from);
            }
        }

        // If somebody else's things are in both places, the original stays under its other name; without the copy it would count as moved.
        if (anchor.Look(copied) is null && anchor.Look(part) is not null)
            TreeBulk.Remove(anchor, part, CancellationToken.None);
    }

    private static void Copy(Folder anchor, string from, string to, bool replace)
    {
        var (part, copied) = (PartOf(to), CopiedOf(from));
        if (anchor.Look(copied) is not null)
            throw new DiskException(DiskException.Exists, "move", Path.Join(anchor.Path, copied));
        if (anchor.Look(part) is not null)
            TreeBulk.Remove(anchor, part, CancellationToken.None);
        if (!replace && anchor.Look(to) is not null)
            throw new DiskException(DiskException.Exists, "move", Path.Join(anchor.Path, to));
        new TreeCopy(anchor, anchor, CopyWay.Bytes).CopyAny(from, part);
        anchor.Flush(Folder.ParentOf(part));
        anchor.Move(from, copied);
        anchor.Flush(Folder.ParentOf(copied));
        Complete(anchor, part, to, replace);
        TreeBulk.Remove(anchor, copied, CancellationToken.None);
    }

    private static void Complete(Folder anchor, string part, string to, bool replace)
    {
        anchor.Move(part, to, replace);
        anchor.Flush(Folder.ParentOf(to));
    }

    /// <summary>What cannot be removed stays under its new name: the copy is whole.</summary>
    private static void TryRemove(Folder anchor, string path)
    {
        try
        {
            TreeBulk.Remove(anchor, path, CancellationToken.None);
        }
        catch (DiskException)
        {
        }
    }

    private static string PartOf(string path) => Beside(path, "part");

    private static string CopiedOf(string path) => Beside(path, "copied");

    private static string Beside(string path, string kind)
    {
        var name = string.Create(
            CultureInfo.InvariantCulture, $".mukta-{kind}-{XxHash3.HashToUInt64(Encoding.UTF8.GetBytes(Path.GetFileName(path))):x16}");
        return Folder.ParentOf(path) is { Length: > 0 } parent ? $"{parent}/{name}" : name;
    }
}
