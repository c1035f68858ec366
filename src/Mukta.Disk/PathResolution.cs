using System.Collections.Concurrent;
using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>
/// Finds what a relative path names beneath a folder, and follows no link on the way: openat2 with RESOLVE_BENEATH and
/// RESOLVE_NO_SYMLINKS; where the kernel lacks it (before 5.6, or in a sandbox), a walk that opens one folder after the other with
/// O_NOFOLLOW.
/// </summary>
internal sealed class PathResolution : IDisposable
{
    private readonly SafeFileHandle root;
    private readonly bool stepByStep;
    private readonly ConcurrentDictionary<string, SafeFileHandle> held = new(StringComparer.Ordinal);
    private readonly ConcurrentDictionary<string, SafeFileHandle>.AlternateLookup<ReadOnlySpan<char>> heldByPath;

    /// <param name="root">The folder. It is closed with this.</param>
    /// <param name="stepByStep">True to walk whatever the kernel can.</param>
    public PathResolution(SafeFileHandle root, bool stepByStep)
    {
        this.root = root;
        this.stepByStep = stepByStep || !KernelResolvesBeneath();
        heldByPath = held.GetAlternateLookup<ReadOnlySpan<char>>();
    }

    /// <summary>Opens what is at a path. Null if it cannot be opened; the last error says why.</summary>
    public SafeFileHandle? TryOpen(string path, int flags, int mode)
    {
        flags |= Native.CloseOnExec | Native.NoFollow;
        if (stepByStep)
        {
            if (TryFind(path) is not { } at)
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

    /// <summary>
    /// Opens the folder that holds the last name of a path, so that the call which follows can only hit that name. Null if it cannot be
    /// opened; the last error says why.
    /// </summary>
    public NameInFolder? TryFind(string path)
    {
        var slash = path.LastIndexOf('/');
        var name = path.AsSpan(slash + 1);
        if (name is "" or ".." || (name is "." && path.Length > 1))
            throw new ArgumentException($"Not the path of a file below a folder: {path}", nameof(path));
        if (slash < 0)
            return new NameInFolder(root, PathBytes.Encode(name), HandleEnd.Stays);
        if (!held.IsEmpty && heldByPath.TryGetValue(path.AsSpan(0, slash), out var open) && TryUse(open))
            return new NameInFolder(open, PathBytes.Encode(name), HandleEnd.GivenBack);
        var flags = Native.PathOnly | Native.Directory;
        return (stepByStep ? TryDescend(path[..slash]) : TryOpen(path[..slash], flags, 0)) is { } parent
            ? new NameInFolder(parent, PathBytes.Encode(name), HandleEnd.Closed) : null;
    }

    /// <summary>
    /// Opens what is at a path on a disk that is mounted here, with its links followed as if this were the root: openat2 with
    /// RESOLVE_IN_ROOT, or a walk. Null if nothing is there.
    /// </summary>
    public SafeFileHandle? TryOpenOnMount(string path)
    {
        if (stepByStep)
            return TryFollow(path);
        var how = new Native.OpenHow { Flags = (ulong)(Native.PathOnly | Native.CloseOnExec), Resolve = Native.ResolveInRoot };
        var fd = Native.OpenBeneath(root, PathBytes.Encode("/" + path), how);
        return fd >= 0 ? new SafeFileHandle(fd, ownsHandle: true) : null;
    }

    /// <summary>See <see cref="Folder.HoldOpen"/>.</summary>
    public IDisposable HoldOpen(IEnumerable<string> paths)
    {
        var opened = new List<string>();
        foreach (var path in paths.Where(p => p.Length > 0 && !held.ContainsKey(p)))
        {
            if (TryOpen(path, Native.PathOnly | Native.Directory, 0) is not { } handle)
                continue; // Whoever needs it finds out.
            if (held.TryAdd(path, handle))
                opened.Add(path);
            else
                handle.Dispose();
        }

        return new Hold(this, opened);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        root.Dispose();
        foreach (var handle in held.Values)
            handle.Dispose();
    }

    private bool KernelResolvesBeneath()
    {
        var how = new Native.OpenHow { Flags = (ulong)(Native.PathOnly | Native.CloseOnExec), Resolve = Native.ResolveBeneath };
        var fd = Native.OpenBeneath(root, PathBytes.Encode("."), how);
        if (fd >= 0)
            new SafeFileHandle(fd, ownsHandle: true).Dispose();
        return fd >= 0;
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
            if (name is "" or "..")
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

    private SafeFileHandle? TryFollow(string path)
    {
        const int MostLinks = 40; // As path_resolution(7) has it.
        var entered = new Stack<SafeFileHandle>([OpenIn(root, ".")!]);
        var (names, links) = (new Stack<string>(path.Split('/').Reverse()), 0);
        try
        {
            while (names.TryPop(out var name))
            {
                if (Folder.Look(entered.Peek()).Kind != NodeKind.Folder)
                    return null;
                if (name == ".." && entered.Count > 1)
                    entered.Pop().Dispose();
                if (name is "" or "." or "..")
                    continue;
                if (OpenIn(entered.Peek(), name) is not { } next)
                    return null;
                entered.Push(next);
                if (Folder.Look(next).Kind != NodeKind.Link)
                    continue;
                if (++links > MostLinks || Folder.ReadLink(next) is not { Length: > 0 } target)
                    return null;
                for (var keep = target[0] == '/' ? 1 : entered.Count - 1; entered.Count > keep;)
                    entered.Pop().Dispose();
                foreach (var part in target.Split('/').Reverse())
                    names.Push(part);
            }

            return entered.Pop();
        }
        finally
        {
            foreach (var handle in entered)
                handle.Dispose();
        }

        static SafeFileHandle? OpenIn(SafeFileHandle folder, string name)
        {
            var fd = Native.OpenAt(folder, PathBytes.Encode(name), Native.PathOnly | Native.NoFollow | Native.CloseOnExec, 0);
            return fd >= 0 ? new SafeFileHandle(fd, ownsHandle: true) : null;
        }
    }

    private sealed class Hold(PathResolution of, List<string> paths) : IDisposable
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

/// <summary>A name in an open folder.</summary>
/// <param name="parent">The folder.</param>
/// <param name="name">The name's bytes, with a zero behind them.</param>
/// <param name="end">What becomes of the folder's handle when this is no longer needed.</param>
internal readonly struct NameInFolder(SafeFileHandle parent, byte[] name, HandleEnd end) : IDisposable
{
    public SafeFileHandle Parent { get; } = parent;

    public byte[] Name { get; } = name;

    public void Dispose()
    {
        if (end == HandleEnd.Closed)
            Parent.Dispose();
        else if (end == HandleEnd.GivenBack)
            Parent.DangerousRelease();
    }
}

/// <summary>What becomes of a handle once it has been used.</summary>
internal enum HandleEnd
{
    /// <summary>It stays open: whoever opened it closes it.</summary>
    Stays,

    /// <summary>It may be closed by whoever holds it from now on.</summary>
    GivenBack,

    /// <summary>It is closed.</summary>
    Closed,
}
