using Microsoft.Win32.SafeHandles;
using Mukta.Disk;

namespace Mukta.Hashing;

/// <summary>
/// Hands out the ranges of files, in order, to any number of threads; and once they do not come out of memory, tells the
/// disk ahead of time what will be wanted.
/// </summary>
internal sealed class RangeQueue(IReadOnlyList<HashedFile> files)
{
    /// <summary>The disk is told of so much ahead of what is being read.</summary>
    private const long BytesAhead = 64L << 20;

    private const int FilesAhead = 128;

    /// <summary>The kernel takes no more at once of what it is told to read ahead.</summary>
    private const long ReadAheadLength = 512 << 10;

    /// <summary>From this length on a range may be given to a whole core.</summary>
    private const long LongRange = 4L << 20;

    private readonly Lock taking = new();
    private readonly Lock telling = new();
    private readonly Lock reading = new();
    private Cursor taken, told;
    private long left = files.Sum(LengthOf);
    private volatile bool isCold;

    /// <summary>Bytes that nobody has taken yet.</summary>
    public long BytesLeft => Interlocked.Read(ref left);

    /// <summary>Takes the next range.</summary>
    /// <param name="file">Its file.</param>
    /// <param name="index">Which range of it.</param>
    /// <param name="isLong">True if it is so large a part of what is left that it would keep its lane busy long after all
    /// others.</param>
    public bool TryTake(out HashedFile file, out int index, out bool isLong)
    {
        lock (taking)
        {
            if (!taken.TryNext(files, out file, out index))
            {
                isLong = false;
                return false;
            }

            var length = file[index].Length;
            isLong = length >= LongRange && length > left / 8;
            left -= length;
        }

        if (isCold)
            TellAhead();
        return true;
    }

    /// <summary>True if only one may wait for the disk at a time, since its head cannot be in two places.</summary>
    public bool HasOneReader { get; init; }

    /// <summary>Reads what the disk has to be waited for.</summary>
    public int Read(SafeFileHandle file, Span<byte> buffer, long offset)
    {
        if (!HasOneReader)
            return RandomAccess.Read(file, buffer, offset);
        lock (reading)
            return RandomAccess.Read(file, buffer, offset);
    }

    /// <summary>Says that something had to be waited for.</summary>
    public void NoteCold() => isCold = true;

    /// <summary>Tells the disk of what comes next, so that it has it ready.</summary>
    private void TellAhead()
    {
        if (!telling.TryEnter())
            return; // Somebody is at it.
        try
        {
            Cursor now;
            lock (taking)
                now = taken;
            if (told.Bytes < now.Bytes)
                told = now;
            while (told.Bytes - now.Bytes < BytesAhead && told.Files - now.Files < FilesAhead
                && told.TryNext(files, out var file, out var index))
            {
                if (file.Handle is not { IsClosed: false } handle)
                    continue;
                var range = file[index];
                for (var at = range.Offset; at < range.Offset + range.Length; at += ReadAheadLength)
                    _ = Native.Advise(handle, at, Math.Min(ReadAheadLength, range.Offset + range.Length - at), Native.AdviseWillNeed);
            }
        }
        catch (ObjectDisposedException)
        {
            // It was read and closed meanwhile.
        }
        finally
        {
            telling.Exit();
        }
    }

    private static long LengthOf(HashedFile file)
    {
        var length = 0L;
        for (var i = 0; i < file.Count; i++)
            length += file[i].Length;
        return length;
    }

    private struct Cursor
    {
        private int range;

        public int Files { get; private set; }

        public long Bytes { get; private set; }

        public bool TryNext(IReadOnlyList<HashedFile> files, out HashedFile file, out int index)
        {
            while (Files < files.Count && range >= files[Files].Count)
                (Files, range) = (Files + 1, 0);
            if (Files >= files.Count)
            {
                (file, index) = (null!, 0);
                return false;
            }

            (file, index) = (files[Files], range++);
            Bytes += file[index].Length;
            return true;
        }
    }
}
