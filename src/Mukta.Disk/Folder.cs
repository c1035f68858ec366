using System.Collections.Concurrent;
using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// A folder, and the only way to anything below it. Every call takes a relative path, resolves it at that moment beneath
/// the folder and follows no link on the way (openat2 with RESOLVE_BENEATH and RESOLVE_NO_SYMLINKS; where the kernel
/// lacks it, a walk that opens one folder after the other with O_NOFOLLOW). A path that leads out fails.
/// </summary>
public sealed class Folder : IDisposable
{
    private readonly SafeFileHandle root;
    private readonly bool stepByStep;
    private readonly ConcurrentDictionary<string, SafeFileHandle> held = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, SafeFileHandle>.AlternateLookup<ReadOnlySpan<char>> heldByPath;

    internal Folder(string path, bool stepByStep)
    {
        Path = path;
        heldByPath = held.GetAlternateLookup<ReadOnlySpan<char>>();
        var fd = Native.OpenAt(Native.AtFdCwd, PathBytes.Encode(path), Native.ReadOnly | Native.Directory | Native.CloseOnExec, 0);
        if (fd < 0)
        {
            var failure = Failure("open the folder", null);
            throw failure.IsAbsent ? new MuktaException(
                ExitCode.BadInput, "There is no such folder.", PathBytes.Shown(path), "Check the path.", failure) : failure;
        }

        root = new SafeFileHandle(fd, ownsHandle: true);
        this.stepByStep = stepByStep || !KernelResolvesBeneath();
    }

    /// <summary>The path the folder was opened by.</summary>
    public string Path { get; }

    /// <summary>The path that the kernel knows the folder by: absolute and without a link on its way.</summary>
    public string RealPath => new FileInfo($"/proc/self/fd/{root.DangerousGetHandle()}").LinkTarget ?? System.IO.Path.GetFullPath(Path);

    /// <summary>The folder that a relative path is in; "" for this one.</summary>
    public static string ParentOf(string path) => path.LastIndexOf('/') is var slash && slash < 0 ? "" : path[..slash];

    /// <summary>The real path of a folder that may not be there yet: of the part that is, with the rest behind it.</summary>
    public static string RealPathOf(string path)
    {
        if (!System.IO.Directory.Exists(path))
            return System.IO.Path.Join(RealPathOf(System.IO.Path.GetDirectoryName(path)!), System.IO.Path.GetFileName(path));
        using var folder = Open(path);
        return folder.RealPath;
    }

    /// <summary>Opens a folder. Links on the way to it are followed: the user named it.</summary>
    /// <exception cref="MuktaException">There is no such folder, or it may not be entered.</exception>
    public static Folder Open(string path) => new(path, stepByStep: false);

    /// <summary>
    /// The real path of a file or folder on a disk that is mounted at <paramref name="root"/>, with its links followed as the machine
    /// that it belongs to would: none leads out (openat2 with RESOLVE_IN_ROOT). Null if nothing is there.
    /// </summary>
    /// <param name="root">Where the disk is mounted.</param>
    /// <param name="path">A path below it, as seen from here.</param>
    public static string? ResolvedIn(string root, string path)
    {
        using var folder = Open(root);
        var how = new Native.OpenHow { Flags = (ulong)(Native.PathOnly | Native.CloseOnExec), Resolve = Native.ResolveInRoot };
        var fd = Native.OpenBeneath(folder.root, PathBytes.Encode("/" + System.IO.Path.GetRelativePath(root, path)), how);
        if (fd < 0)
            return null;
        using var found = new SafeFileHandle(fd, ownsHandle: true);
        return new FileInfo($"/proc/self/fd/{fd}").LinkTarget;
    }

    /// <summary>What is at a path; null if nothing is. A link on the way counts as nothing.</summary>
    /// <exception cref="DiskException">The folder on the way may not be searched, or the disk fails.</exception>
    public Node? Look(string path)
    {
        if (TryAt(path) is { } at)
        {
            using (at)
            {
                if (Native.StatxAt(at.Parent, at.Name, Native.AtSymlinkNoFollow, Native.StatxBasic, out var found) == 0)
                    return Node.From(found);
            }
        }

        return Marshal.GetLastPInvokeError() is DiskException.NoEntry or DiskException.NotDirectory or DiskException.LinkLoop ? null
            : throw Failure("look at", path);
    }

    /// <summary>What an open file is.</summary>
    public static Node Look(SafeFileHandle file) =>
        Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0 ? Node.From(found)
        : throw Failure("look at", "an open file");

    /// <summary>Opens a file for reading. A pipe or socket that has taken its place does not block.</summary>
    public SafeFileHandle OpenRead(string path) => OpenFile(path, Native.ReadOnly | Native.NonBlock, 0, "open");

    /// <summary>Reads a whole regular file. A link, a pipe or a device is refused, and so is one that is too long.</summary>
    /// <param name="path">The file.</param>
    /// <param name="most">The longest that is read, in bytes.</param>
    /// <exception cref="DiskException">There is none, it is something else or too long, or it cannot be read.</exception>
    public byte[] ReadAll(string path, long most)
    {
        using var stream = OpenStream(path, most);
        try
        {
            var bytes = new byte[stream.Length];
            var done = stream.ReadAtLeast(bytes, bytes.Length, throwOnEndOfStream: false);
            return done == bytes.Length ? bytes : bytes[..done];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw Failure("read", System.IO.Path.Join(Path, path), e.HResult);
        }
    }

    /// <summary>Opens a regular file to be read from its beginning to its end. The same is refused as in <see cref="ReadAll"/>.</summary>
    public FileStream OpenStream(string path, long most)
    {
        var file = OpenRead(path);
        if (Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0
            && Node.From(found).Kind == NodeKind.File && (long)found.Size <= most)
            return new FileStream(file, FileAccess.Read, bufferSize: 0);
        file.Dispose();
        throw Failure(
            "read", System.IO.Path.Join(Path, path), (long)found.Size > most ? DiskException.FileTooBig : DiskException.InvalidValue);
    }

    /// <summary>Bytes that a file takes on the disk: fewer than its size where not all of it was written.</summary>
    /// <exception cref="DiskException">It cannot be opened.</exception>
    public long AllocatedBytes(string path)
    {
        using var file = OpenRead(path);
        return Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0
            ? (long)found.Blocks * Native.BlockSize : throw Failure("look at", System.IO.Path.Join(Path, path));
    }

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

    private WritableFile OnlyName(SafeFileHandle file, string path)
    {
        if (Native.StatxAt(file, Native.Itself, Native.AtEmptyPath, Native.StatxBasic, out var found) == 0 && found.Links == 1
            && Node.From(found).Kind == NodeKind.File)
            return new WritableFile(file, Path, path);
        file.Dispose();
        throw Failure("write to something that is no file of its own", System.IO.Path.Join(Path, path), DiskException.TooManyLinks);
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

    /// <summary>Where a symbolic link points.</summary>
    public string ReadLink(string path)
    {
        using var at = At(path);
        Span<byte> buffer = new byte[4096];
        var length = Native.ReadLink(at.Parent, at.Name, buffer, buffer.Length);
        return length >= 0 ? PathBytes.Decode(buffer[..(int)length]) : throw Failure("read the link", path);
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

    /// <summary>
    /// Keeps folders below this one open for as long as names in them are changed, so that each change need not find its way to them
    /// again: it hits the folder that was there at the beginning, whatever somebody puts in its place meanwhile.
    /// </summary>
    /// <param name="paths">The folders. One that cannot be opened is left out.</param>
    /// <returns>What closes them again.</returns>
    public IDisposable HoldOpen(IEnumerable<string> paths)
    {
        var opened = new List<string>();
        foreach (var path in paths.Where(p => p.Length > 0 && !held.ContainsKey(p)))
        {
            try
            {
                var handle = OpenFile(path, Native.PathOnly | Native.Directory, 0, "open");
                if (held.TryAdd(path, handle))
                    opened.Add(path);
                else
                    handle.Dispose();
            }
            catch (DiskException)
            {
                // Whoever needs it finds out.
            }
        }

        return new Hold(this, opened);
    }

    /// <summary>True if names may be made and removed in the folder at a path ("" for this one) by whoever runs this.</summary>
    public bool MayChangeNamesIn(string path)
    {
        using var at = At(path.Length == 0 ? "." : path);
        return Native.Access(at.Parent, at.Name, Native.AccessWrite | Native.AccessEnter, Native.AtEffectiveAccess) == 0;
    }

    /// <summary>Opens the folder at a path for listing, or this one for "".</summary>
    public SafeFileHandle OpenFolder(string path) =>
        OpenFile(path.Length == 0 ? "." : path, Native.ReadOnly | Native.Directory, 0, "open the folder");

    /// <inheritdoc/>
    public void Dispose()
    {
        root.Dispose();
        foreach (var handle in held.Values)
            handle.Dispose();
    }

    private string ShownOf(string path) => path.Length == 0 ? Path : System.IO.Path.Join(Path, path);

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

    /// <summary>
    /// A failure with what was being done and where; the reason is the last one that the system gave unless another is given.
    /// </summary>
    public static DiskException Failure(string doing, string where, int? errno = null) =>
        new(errno ?? Marshal.GetLastPInvokeError(), doing, where);

    private DiskException Failure(string doing, string? path) =>
        Failure(doing, path is null or "" ? Path : System.IO.Path.Join(Path, path), null);

    private void Check(int result, string doing, string path)
    {
        if (result != 0)
            throw Failure(doing, path);
    }

    private bool KernelResolvesBeneath()
    {
        var how = new Native.OpenHow { Flags = (ulong)(Native.PathOnly | Native.CloseOnExec), Resolve = Native.ResolveBeneath };
        var fd = Native.OpenBeneath(root, PathBytes.Encode("."), how);
        if (fd >= 0)
            new SafeFileHandle(fd, ownsHandle: true).Dispose();
        return fd >= 0;
    }

    private SafeFileHandle OpenFile(string path, int flags, int mode, string doing) =>
        TryOpenFile(path, flags, mode) ?? throw Failure(doing, path);

    /// <summary>Null if it cannot be opened; the last error says why.</summary>
    private SafeFileHandle? TryOpenFile(string path, int flags, int mode)
    {
        flags |= Native.CloseOnExec | Native.NoFollow;
        if (stepByStep)
        {
            if (TryAt(path) is not { } at)
                return null;
            using (at)
            {
                var last = Native.OpenAt(at.Parent, at.Name, flags, (uint)mode);
                return last >= 0 ? new SafeFileHandle(last, ownsHandle: true) : null;
            }
        }

        var how = new Native.OpenHow
        {
            Flags = (ulong)flags,
            Mode = (flags & Native.Create) != 0 ? (ulong)mode : 0,
            Resolve = Native.ResolveBeneath | Native.ResolveNoSymlinks | Native.ResolveNoMagicLinks,
        };
        var fd = Native.OpenBeneath(root, PathBytes.Encode(path), how);
        return fd >= 0 ? new SafeFileHandle(fd, ownsHandle: true) : null;
    }

    private Position At(string path) => TryAt(path) ?? throw Failure("open the folder of", path);

    /// <summary>
    /// Opens the folder that holds the last name of a path, so that the call which follows can only hit that name. Null if it cannot be
    /// opened.
    /// </summary>
    private Position? TryAt(string path)
    {
        var slash = path.LastIndexOf('/');
        var name = path.AsSpan(slash + 1);
        if (name is "" or ".." || (name is "." && path.Length > 1))
            throw new ArgumentException($"Not the path of a file below a folder: {path}", nameof(path));
        if (slash < 0)
            return new Position(root, PathBytes.Encode(name), owned: false);
        if (!held.IsEmpty && heldByPath.TryGetValue(path.AsSpan(0, slash), out var open) && TryUse(open))
            return new Position(open, PathBytes.Encode(name), owned: false) { IsKept = true };
        var flags = Native.PathOnly | Native.Directory;
        return (stepByStep ? TryDescend(path[..slash]) : TryOpenFile(path[..slash], flags, 0)) is { } parent
            ? new Position(parent, PathBytes.Encode(name), owned: true) : null;
    }

    /// <summary>Keeps a held folder from being closed while it is used. False if it is closed already.</summary>
    private static bool TryUse(SafeFileHandle open)
    {
        try
        {
            var isUsed = false;
            open.DangerousAddRef(ref isUsed);
            return isUsed;
        }
        catch (ObjectDisposedException)
        {
            return false;
        }
    }

    private SafeFileHandle? TryDescend(string path)
    {
        SafeFileHandle? here = null;
        foreach (var name in path.Split('/'))
        {
            var fd = -1;
            if (name is "" or "." or "..")
            {
                Marshal.SetLastPInvokeError(DiskException.OtherDevice);
            }
            else
            {
                fd = Native.OpenAt(
                    here ?? root, PathBytes.Encode(name), Native.PathOnly | Native.Directory | Native.NoFollow | Native.CloseOnExec, 0);
            }

            here?.Dispose(); // Leaves the last error as it is.
            if (fd < 0)
                return null;
            here = new SafeFileHandle(fd, ownsHandle: true);
        }

        return here;
    }

    private readonly struct Position(SafeFileHandle parent, byte[] name, bool owned) : IDisposable
    {
        public SafeFileHandle Parent { get; } = parent;

        public byte[] Name { get; } = name;

        public bool IsKept { get; init; }

        public void Dispose()
        {
            if (owned)
                Parent.Dispose();
            else if (IsKept)
                Parent.DangerousRelease();
        }
    }

    private sealed class Hold(Folder of, List<string> paths) : IDisposable
    {
        public void Dispose()
        {
            foreach (var path in paths)
            {
                if (of.held.TryRemove(path, out var handle))
                    handle.Dispose();
            }
        }
    }
}
