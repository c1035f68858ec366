using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>A kind of change on the disk.</summary>
public enum DiskChangeKind
{
    /// <summary>A new file gets a name.</summary>
    CreateFile,

    /// <summary>A folder is made.</summary>
    MakeFolder,

    /// <summary>A symbolic link is made.</summary>
    MakeLink,

    /// <summary>A file gets a further name.</summary>
    HardLink,

    /// <summary>A name is changed; nothing is replaced.</summary>
    Rename,

    /// <summary>A name is changed, and takes the place of another.</summary>
    Replace,

    /// <summary>Two names are swapped.</summary>
    Exchange,

    /// <summary>A name of a file is removed.</summary>
    RemoveFile,

    /// <summary>An empty folder is removed.</summary>
    RemoveFolder,

    /// <summary>Bytes are written.</summary>
    Write,

    /// <summary>A file is made longer or shorter.</summary>
    SetLength,

    /// <summary>A file shares the bytes of another from here on.</summary>
    Clone,

    /// <summary>Permission bits, an owner or a time are set.</summary>
    SetMetadata,

    /// <summary>A file's bytes are made to outlast a loss of power.</summary>
    FlushFile,

    /// <summary>A folder's names are made to outlast a loss of power.</summary>
    FlushFolder,

    /// <summary>Everything below a folder is made to outlast a loss of power, names and bytes.</summary>
    FlushAll,
}

/// <summary>One change that is about to be made on the disk.</summary>
/// <param name="Kind">What is done.</param>
/// <param name="Path">To which path; of a file that is open already the path it was opened by.</param>
public sealed record DiskChange(DiskChangeKind Kind, string Path)
{
    /// <summary>The second path of a rename, an exchange or a hard link.</summary>
    public string? Other { get; init; }

    /// <summary>The open file that is written to or flushed; null for names.</summary>
    public SafeFileHandle? File { get; init; }

    /// <summary>Where bytes are written, or the new length, in bytes.</summary>
    public long Offset { get; init; }

    /// <summary>The bytes that are written.</summary>
    public ReadOnlyMemory<byte> Bytes { get; init; }
}

/// <summary>
/// Stands in the one door to the disk and is told of every change before and after it is made. Tests end the world there, fail
/// single writes, and keep apart what was not flushed. Without one nothing is told, and nothing is built to be told.
/// </summary>
public abstract class DiskWatch
{
    /// <summary>The watch of this flow of work and all that it starts; null outside of tests.</summary>
    internal static AsyncLocal<DiskWatch?> Current { get; } = new();

    /// <summary>What the disk is taken not to be able to do, out of hard links, clones and exchanges.</summary>
    public virtual IReadOnlyCollection<DiskChangeKind> Lacks => [];

    /// <summary>True if a watched disk is taken not to be able to do something.</summary>
    internal static bool IsLacking(DiskChangeKind kind) => Current.Value is { } watch && watch.Lacks.Contains(kind);

    /// <summary>Watches everything that this flow of work does from here on, until it is disposed.</summary>
    public IDisposable Watching()
    {
        var before = Current.Value;
        Current.Value = this;
        return new Back(before);
    }

    /// <summary>Told before a change is made. What it throws is thrown by the call, and nothing is changed.</summary>
    public abstract void Before(DiskChange change);

    /// <summary>Told after a change was made.</summary>
    public virtual void After(DiskChange change)
    {
    }

    private sealed class Back(DiskWatch? before) : IDisposable
    {
        public void Dispose() => Current.Value = before;
    }
}
