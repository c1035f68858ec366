using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>What a folder lets be changed below it. Each change is told to whoever watches the disk.</summary>
public sealed partial class Folder
{
    /// <summary>Makes a new file, readable and writable. Fails if something is there already.</summary>
    public WritableFile CreateFile(string path, int mode)
    {
        var change = Told(DiskChangeKind.CreateFile, path);
        var file = OpenFile(path, Native.ReadWrite | Native.Create | Native.Exclusive, mode, "create");
        After(change);
        return new WritableFile(file, Path, path);
    }

    /// <summary>The same; null if something is there already.</summary>
    public WritableFile? TryCreateFile(string path, int mode)
    {
        try
        {
            return CreateFile(path, mode);
        }
        catch (DiskException e) when (e.Errno == DiskException.Exists)
        {
            return null;
        }
    }

    /// <summary>
    /// Opens the file at a path for reading and writing, and makes it if there is none. One that has a second name is
    /// refused: writing to it would change a file elsewhere.
    /// </summary>
    public WritableFile OpenOrCreateFile(string path, int mode)
    {
        var change = DiskWatch.Current.Value is not null && Look(path) is null ? Told(DiskChangeKind.CreateFile, path) : null;
        var file = OnlyName(OpenFile(path, Native.ReadWrite | Native.Create | Native.NonBlock, mode, "open for writing"), path);
        After(change);
        return file;
    }

    /// <summary>Makes one folder.</summary>
    public void MakeFolder(string path, int mode)
    {
        using var at = At(path);
        var change = Told(DiskChangeKind.MakeFolder, path);
        Check(Native.MakeFolder(at.Parent, at.Name, (uint)mode), "make the folder", path);
        After(change);
    }

    /// <summary>Makes sure that a folder is there, with all on its way, each with the owner, group and mode of the one around it.</summary>
    /// <param name="path">The folder.</param>
    /// <param name="isLasting">True to make each new name outlast a loss of power.</param>
    /// <exception cref="DiskException">Something else is there, or the folder may not be made.</exception>
    public void EnsureFolder(string path, bool isLasting = false)
    {
        if (path.Length == 0 || Look(path) is { Kind: NodeKind.Folder })
            return;
        var parent = ParentOf(path);
        EnsureFolder(parent, isLasting);
        var like = Look(parent.Length == 0 ? "." : parent) ?? throw Failure("look at", ShownOf(parent), DiskException.NoEntry);
        try
        {
            MakeFolder(path, like.Mode & 0x1FF);
        }
        catch (DiskException e) when (e.Errno == DiskException.Exists && Look(path) is { Kind: NodeKind.Folder })
        {
            return; // Another run was faster.
        }

        SetOwner(path, like.User, like.Group);
        SetMode(path, like.Mode);
        if (isLasting)
            Flush(parent);
    }

    /// <summary>
    /// Renames within this folder. Nothing is ever replaced unless <paramref name="replace"/> says so, and then at once.
    /// </summary>
    public void Move(string from, string to, bool replace = false)
    {
        using var source = At(from);
        using var target = At(to);
        var change = Told(replace ? DiskChangeKind.Replace : DiskChangeKind.Rename, from, to);
        var result = Native.Rename(source.Parent, source.Name, target.Parent, target.Name, replace ? 0 : Native.RenameNoReplace);
        if (result != 0 && !replace && Marshal.GetLastPInvokeError() == DiskException.InvalidValue && Look(to) is null)
            result = Native.Rename(source.Parent, source.Name, target.Parent, target.Name, 0); // A file system without the flag.
        Check(result, "rename", from);
        After(change);
    }

    /// <summary>
    /// Swaps two names at once, so that neither is ever without something. Where the file system cannot, the second is moved
    /// aside first.
    /// </summary>
    /// <param name="path">One name.</param>
    /// <param name="other">The other.</param>
    /// <param name="aside">A free name for a file system that cannot swap.</param>
    public void Exchange(string path, string other, string aside)
    {
        if (!DiskWatch.IsLacking(DiskChangeKind.Exchange))
        {
            using var source = At(path);
            using var target = At(other);
            var change = Told(DiskChangeKind.Exchange, path, other);
            if (Native.Rename(source.Parent, source.Name, target.Parent, target.Name, Native.RenameExchange) == 0)
            {
                After(change);
                return;
            }

            if (Marshal.GetLastPInvokeError() is not (DiskException.InvalidValue or DiskException.NotImplemented
                or DiskException.NotSupported))
                throw Failure("rename", path);
        }

        Move(other, aside);
        Move(path, other);
        Move(aside, path);
    }

    /// <summary>Gives a file a second name. False if the file system or the system's settings do not allow it.</summary>
    public bool TryLink(string from, string to)
    {
        if (DiskWatch.IsLacking(DiskChangeKind.HardLink))
            return false;
        using var source = At(from);
        using var target = At(to);
        var change = Told(DiskChangeKind.HardLink, from, to);
        if (Native.Link(source.Parent, source.Name, target.Parent, target.Name, 0) == 0)
        {
            After(change);
            return true;
        }

        return Marshal.GetLastPInvokeError() is DiskException.NotPermitted or DiskException.NotSupported
            or DiskException.TooManyLinks or DiskException.OtherDevice
            ? false
            : throw Failure("link", from);
    }

    /// <summary>Makes a symbolic link.</summary>
    public void MakeLink(string path, string target)
    {
        using var at = At(path);
        var change = Told(DiskChangeKind.MakeLink, path, target);
        Check(Native.SymbolicLink(PathBytes.Encode(target), at.Parent, at.Name), "make the link", path);
        After(change);
    }

    /// <summary>Sets the permission bits of a file or folder.</summary>
    public void SetMode(string path, int mode)
    {
        using var at = At(path);
        Told(DiskChangeKind.SetMetadata, path);
        Check(Native.ChangeMode(at.Parent, at.Name, (uint)mode), "change the mode of", path);
    }

    /// <summary>Gives a file, folder or link its owner and group. A user who may not is left as owner.</summary>
    public void SetOwner(string path, uint user, uint group)
    {
        using var at = At(path);
        Told(DiskChangeKind.SetMetadata, path);
        if (Native.ChangeOwner(at.Parent, at.Name, user, group, Native.AtSymlinkNoFollow) != 0
            && Marshal.GetLastPInvokeError() is not (DiskException.NotPermitted or DiskException.NotSupported))
            throw Failure("change the owner of", path);
    }

    /// <summary>Takes a file's name away.</summary>
    public void RemoveFile(string path)
    {
        using var at = At(path);
        var change = Told(DiskChangeKind.RemoveFile, path);
        Check(Native.Unlink(at.Parent, at.Name, 0), "remove", path);
        After(change);
    }

    /// <summary>Sets the time of the last change of a file, folder or link. A user who may not leaves it as it is.</summary>
    /// <param name="path">It; "." for this folder.</param>
    /// <param name="modifiedNs">Nanoseconds since 1970 UTC.</param>
    public void SetModified(string path, long modifiedNs)
    {
        using var at = At(path);
        Told(DiskChangeKind.SetMetadata, path);
        if (Native.SetModified(at.Parent, at.Name, modifiedNs) != 0
            && Marshal.GetLastPInvokeError() is not (DiskException.NotPermitted or DiskException.AccessDenied))
            throw Failure("set the time of", path);
    }

    /// <summary>
    /// Opens a file that is there for reading and writing. One that has a second name is refused, as in <see cref="OpenOrCreateFile"/>.
    /// </summary>
    public WritableFile OpenToPatch(string path) =>
        OnlyName(OpenFile(path, Native.ReadWrite | Native.NonBlock, 0, "open for writing"), path);

    /// <summary>Removes a folder if nothing is in it. False if something is.</summary>
    public bool TryRemoveEmptyFolder(string path)
    {
        using var at = At(path);
        var change = Told(DiskChangeKind.RemoveFolder, path);
        if (Native.Unlink(at.Parent, at.Name, Native.AtRemoveDir) == 0)
        {
            After(change);
            return true;
        }

        return Marshal.GetLastPInvokeError() is DiskException.NotEmpty or DiskException.Exists ? false
            : throw Failure("remove the folder", path);
    }

    /// <summary>
    /// Makes sure that names made, moved or removed in a folder outlast a loss of power. A file system that does not know how to
    /// flush a folder writes names in order anyway.
    /// </summary>
    /// <param name="path">The folder, or "" for this one.</param>
    public void Flush(string path)
    {
        var change = Told(DiskChangeKind.FlushFolder, path);
        using var folder = path.Length == 0 ? null : OpenFile(path, Native.ReadOnly | Native.Directory, 0, "open");
        if (Native.Sync(folder ?? root) != 0
            && Marshal.GetLastPInvokeError() is not (DiskException.InvalidValue or DiskException.NotSupported))
            throw Failure("flush", path);
        After(change);
    }

    /// <summary>
    /// Makes sure that a folder, and all on its way, outlasts a loss of power, also where it was made by a run that was killed before it
    /// could see to that.
    /// </summary>
    public void FlushWayTo(string path)
    {
        while (path.Length > 0)
        {
            path = ParentOf(path);
            try
            {
                Flush(path);
            }
            catch (DiskException e) when (e.Errno == DiskException.AccessDenied)
            {
                // Who may not read it has made nothing in it.
            }
        }
    }

    /// <summary>
    /// Makes sure that all that was changed below this folder outlasts a loss of power, with everything else on its file system
    /// (syncfs(2)): for many files that is much sooner done than one by one. False if the file system may not do what that says, or
    /// fails: then each file has to be flushed, and says what is wrong with it.
    /// </summary>
    public bool TryFlushAll()
    {
        if (!FileSystemCapabilities.Of(Path).IsOfLinux)
            return false;
        var change = Told(DiskChangeKind.FlushAll, "");
        if (Native.SyncFileSystem(root) != 0)
            return false;
        After(change);
        return true;
    }

    private WritableFile OnlyName(SafeFileHandle file, string path)
    {
        if (Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0 && found.Links == 1
            && Node.From(found).Kind == NodeKind.File)
            return new WritableFile(file, Path, path);
        file.Dispose();
        throw Failure("write to something that is no file of its own", System.IO.Path.Join(Path, path), DiskException.TooManyLinks);
    }

    private DiskChange? Told(DiskChangeKind kind, string path, string? other = null)
    {
        if (DiskWatch.Current.Value is not { } watch)
            return null;
        var change = new DiskChange(kind, ShownOf(path))
        {
            Other = other is null || kind == DiskChangeKind.MakeLink ? other : ShownOf(other),
        };
        watch.Before(change);
        return change;
    }

    private static void After(DiskChange? change)
    {
        if (change is not null)
            DiskWatch.Current.Value?.After(change);
    }
}
