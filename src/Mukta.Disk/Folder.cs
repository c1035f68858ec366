using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// A folder, and the only way to anything below it. Every call takes a relative path, resolves it at that moment beneath
/// the folder and follows no link on the way (see <see cref="PathResolution"/>). A path that leads out fails.
/// </summary>
public sealed partial class Folder : IDisposable
{
    private readonly SafeFileHandle root;
    private readonly PathResolution paths;

    internal Folder(string path, bool stepByStep)
    {
        Path = path;
        var fd = Native.OpenAt(Native.AtFdCwd, PathBytes.Encode(path), Native.ReadOnly | Native.Directory | Native.CloseOnExec, 0);
        if (fd < 0)
        {
            var failure = Failure("open the folder", null);
            throw failure.IsAbsent ? new MuktaException(
                ExitCode.BadInput, "There is no such folder.", PathBytes.Shown(path), "Check the path.", failure) : failure;
        }

        root = new SafeFileHandle(fd, ownsHandle: true);
        paths = new PathResolution(root, stepByStep);
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
    /// that it belongs to would: none leads out. Null if nothing is there.
    /// </summary>
    /// <param name="root">Where the disk is mounted.</param>
    /// <param name="path">A path below it, as seen from here.</param>
    public static string? ResolvedIn(string root, string path) => ResolvedIn(root, path, stepByStep: false);

    internal static string? ResolvedIn(string root, string path, bool stepByStep)
    {
        using var folder = new Folder(root, stepByStep);
        using var found = folder.paths.TryOpenOnMount(System.IO.Path.GetRelativePath(root, path));
        return found is null ? null : new FileInfo($"/proc/self/fd/{found.DangerousGetHandle()}").LinkTarget;
    }

    /// <summary>What is at a path; null if nothing is. A link on the way counts as nothing.</summary>
    /// <exception cref="DiskException">The folder on the way may not be searched, or the disk fails.</exception>
    public Node? Look(string path)
    {
        if (paths.TryFind(path) is { } at)
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

    /// <summary>Where a symbolic link points.</summary>
    public string ReadLink(string path)
    {
        using var at = At(path);
        Span<byte> buffer = new byte[4096];
        var length = Native.ReadLink(at.Parent, at.Name, buffer, buffer.Length);
        return length >= 0 ? PathBytes.Decode(buffer[..(int)length]) : throw Failure("read the link", path);
    }

    /// <summary>Where an open symbolic link points; null if that cannot be read.</summary>
    internal static string? ReadLink(SafeFileHandle link)
    {
        Span<byte> buffer = new byte[4096];
        var length = Native.ReadLink(link, Native.Itself, buffer, buffer.Length);
        return length >= 0 ? PathBytes.Decode(buffer[..(int)length]) : null;
    }

    /// <summary>
    /// Keeps folders below this one open for as long as names in them are changed, so that each change need not find its way to them
    /// again: it hits the folder that was there at the beginning, whatever somebody puts in its place meanwhile.
    /// </summary>
    /// <param name="folders">The folders. One that cannot be opened is left out.</param>
    /// <returns>What closes them again.</returns>
    public IDisposable HoldOpen(IEnumerable<string> folders) => paths.HoldOpen(folders);

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
    public void Dispose() => paths.Dispose();

    private string ShownOf(string path) => path.Length == 0 ? Path : System.IO.Path.Join(Path, path);

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

    private SafeFileHandle OpenFile(string path, int flags, int mode, string doing) =>
        paths.TryOpen(path, flags, mode) ?? throw Failure(doing, path);

    private NameInFolder At(string path) => paths.TryFind(path) ?? throw Failure("open the folder of", path);
}
