using System.Buffers;
using System.Runtime.InteropServices;
using Microsoft.Win32.SafeHandles;

namespace Mukta.Disk;

/// <summary>A file that is open for reading and writing. Every change of its bytes goes through here.</summary>
public sealed class WritableFile : IDisposable
{
    private readonly string root, path;

    internal WritableFile(SafeFileHandle handle, string root, string path) => (Handle, this.root, this.path) = (handle, root, path);

    /// <summary>The open file, for reading and hashing.</summary>
    public SafeFileHandle Handle { get; }

    private string Shown => Path.Join(root, path);

    /// <summary>Writes bytes.</summary>
    /// <exception cref="DiskException">The disk is full, or fails.</exception>
    public void Write(ReadOnlySpan<byte> bytes, long offset)
    {
        var change = Told(DiskChangeKind.Write, offset, bytes);
        try
        {
            RandomAccess.Write(Handle, bytes, offset);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentOutOfRangeException)
        {
            throw new DiskException(NumberOf(e), "write", Shown);
        }

        After(change);
    }

    /// <summary>Makes the file so long.</summary>
    /// <exception cref="DiskException">The disk is full, or fails.</exception>
    public void SetLength(long length)
    {
        var change = Told(DiskChangeKind.SetLength, length, default);
        try
        {
            RandomAccess.SetLength(Handle, length);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or ArgumentOutOfRangeException)
        {
            throw new DiskException(NumberOf(e), "make room for", Shown);
        }

        After(change);
    }

    /// <summary>The system's number of a failure. A file that would be too long has a kind of exception of its own.</summary>
    private static int NumberOf(Exception failure) =>
        failure is ArgumentOutOfRangeException ? DiskException.FileTooBig : failure.HResult;

    /// <summary>Gives the file its owner and group, as far as whoever runs this may, and its permission bits.</summary>
    /// <exception cref="DiskException">The disk fails.</exception>
    public void SetMetadata(uint user, uint group, int mode)
    {
        Told(DiskChangeKind.SetMetadata, 0, default);
        var now = Folder.Look(Handle);
        if ((now.User, now.Group) != (user, group) && Native.ChangeOwner(Handle, user, group) != 0
            && Marshal.GetLastPInvokeError() is not (DiskException.NotPermitted or DiskException.NotSupported))
            throw Folder.Failure("change the owner of", Shown);
        if (Native.ChangeMode(Handle, (uint)mode) != 0)
            throw Folder.Failure("change the mode of", Shown);
    }

    /// <summary>
    /// Sees to it that the bytes outlast a loss of power (fsync(2)). Bytes that could not be written are still in memory and would be
    /// taken for written: they are dropped there, so that whoever reads the file next sees what is on the disk.
    /// </summary>
    /// <exception cref="DiskException">They cannot be written.</exception>
    public void Flush()
    {
        var change = Told(DiskChangeKind.FlushFile, 0, default);
        if (Native.Sync(Handle) != 0)
        {
            var failure = Folder.Failure("flush", Shown);
            DropFromMemory();
            throw failure;
        }

        After(change);
    }

    /// <summary>
    /// Has the disk begin to write the bytes, and does not wait (sync_file_range(2)): many files are then flushed sooner together.
    /// </summary>
    public void BeginFlush() => _ = Native.BeginSync(Handle);

    /// <summary>Makes the file share the bytes of another (ioctl_ficlone(2)). False if the file system cannot.</summary>
    public bool TryClone(SafeFileHandle from)
    {
        if (DiskWatch.IsLacking(DiskChangeKind.Clone))
            return false;
        var change = Told(DiskChangeKind.Clone, 0, default);
        if (!Native.TryClone(Handle, from))
            return false;
        After(change);
        return true;
    }

    /// <summary>Copies a range of another file. What lies beyond that file's end is left out.</summary>
    /// <param name="from">The other file.</param>
    /// <param name="offset">Where the range begins there, in bytes.</param>
    /// <param name="at">Where it goes, in bytes.</param>
    /// <param name="length">How long it is, in bytes.</param>
    /// <param name="passing">Told of the bytes as they pass; null if nobody wants to know.</param>
    /// <returns>How many bytes were copied.</returns>
    /// <exception cref="DiskException">The disk is full, or fails.</exception>
    public long CopyFrom(SafeFileHandle from, long offset, long at, long length, Action<ReadOnlyMemory<byte>>? passing = null)
    {
        var buffer = ArrayPool<byte>.Shared.Rent(1 << 20);
        try
        {
            var done = 0L;
            while (done < length)
            {
                var got = RandomAccess.Read(from, buffer.AsSpan(0, (int)Math.Min(buffer.Length, length - done)), offset + done);
                if (got == 0)
                    break;
                Write(buffer.AsSpan(0, got), at + done);
                passing?.Invoke(buffer.AsMemory(0, got));
                done += got;
            }

            return done;
        }
        finally
        {
            ArrayPool<byte>.Shared.Return(buffer);
        }
    }

    /// <summary>Drops the file's flushed bytes from memory, so that whoever reads it next reads the disk (posix_fadvise(2)).</summary>
    public void DropFromMemory() => _ = Native.Advise(Handle, 0, 0, Native.AdviseDontNeed);

    /// <summary>The file as a stream that begins at its start. Closing it leaves the file open.</summary>
    public Stream AsStream() => new BufferedStream(new WritingStream(this), 1 << 20);

    /// <inheritdoc/>
    public void Dispose() => Handle.Dispose();

    private DiskChange? Told(DiskChangeKind kind, long offset, ReadOnlySpan<byte> bytes)
    {
        if (DiskWatch.Current.Value is not { } watch)
            return null;
        var change = new DiskChange(kind, Shown) { File = Handle, Offset = offset, Bytes = bytes.ToArray() };
        watch.Before(change);
        return change;
    }

    private static void After(DiskChange? change)
    {
        if (change is not null)
            DiskWatch.Current.Value?.After(change);
    }

    private sealed class WritingStream(WritableFile file) : Stream
    {
        private long position;

        public override bool CanRead => false;

        public override bool CanSeek => false;

        public override bool CanWrite => true;

        public override long Length => position;

        public override long Position { get => position; set => throw new NotSupportedException(); }

        public override void Write(byte[] buffer, int offset, int count) => Write(buffer.AsSpan(offset, count));

        public override void Write(ReadOnlySpan<byte> buffer)
        {
            file.Write(buffer, position);
            position += buffer.Length;
        }

        public override void Flush()
        {
        }

        public override int Read(byte[] buffer, int offset, int count) => throw new NotSupportedException();

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();
    }
}
