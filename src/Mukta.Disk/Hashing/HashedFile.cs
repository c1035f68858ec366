using Microsoft.Win32.SafeHandles;

namespace Mukta.Hashing;

/// <summary>What a range is: where it begins, how long it is, and which function it is hashed with.</summary>
public readonly record struct HashRange(long Offset, long Length, HashKind Kind);

/// <summary>What the hashing of a range has shown.</summary>
/// <param name="digest">The hash; empty if the file ends before the range does.</param>
/// <param name="zerosAtEnd">How many bytes at its end, as far as the file goes, are zero.</param>
public readonly ref struct Hashed(ReadOnlySpan<byte> digest, long zerosAtEnd)
{
    /// <summary>The hash; empty if the file ends before the range does.</summary>
    public ReadOnlySpan<byte> Digest { get; } = digest;

    /// <summary>How many bytes at its end, as far as the file goes, are zero.</summary>
    public long ZerosAtEnd { get; } = zerosAtEnd;
}

/// <summary>
/// A file of which ranges are to be hashed, by any number of threads at once. It is opened when its first range is
/// wanted, and closed once all are done with.
/// </summary>
public abstract class HashedFile
{
    private readonly Lock opening = new();
    private SafeFileHandle? handle;
    private Exception? failure;
    private int done;

    /// <summary>How many ranges there are.</summary>
    public abstract int Count { get; }

    /// <summary>One of them.</summary>
    public abstract HashRange this[int index] { get; }

    /// <summary>Where the file lies on its disk, for the order in which files are read.</summary>
    public virtual (ulong Device, ulong Inode) Place => default;

    /// <summary>Looks at the file and leaves it closed; null if it cannot be opened.</summary>
    public T? Look<T>(Func<SafeFileHandle, T> look)
    {
        try
        {
            var file = Open();
            using (IsOwned ? file : null)
                return look(file);
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return default;
        }
    }

    /// <summary>The open file; null if it cannot be opened.</summary>
    public SafeFileHandle? Handle
    {
        get
        {
            lock (opening)
            {
                if (handle is not null || failure is not null)
                    return handle;
                try
                {
                    return handle = Open();
                }
                catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
                {
                    failure = e;
                    return null;
                }
            }
        }
    }

    /// <summary>A range is hashed.</summary>
    public void Finish(int index, in Hashed hashed)
    {
        Done(index, hashed);
        CountDone();
    }

    /// <summary>A range could not be read; null if the file could not be opened.</summary>
    public void Fail(int index, Exception? reading)
    {
        Failed(index, reading ?? failure!);
        CountDone();
    }

    /// <summary>Closes the file, however far it has come.</summary>
    public void Close()
    {
        if (IsOwned)
            handle?.Dispose();
    }

    /// <summary>True if the file is closed in the end.</summary>
    protected virtual bool IsOwned => true;

    /// <summary>Opens the file.</summary>
    protected abstract SafeFileHandle Open();

    /// <summary>Told of each range that could be read, from any thread.</summary>
    protected abstract void Done(int index, in Hashed hashed);

    /// <summary>Told of each that could not.</summary>
    protected abstract void Failed(int index, Exception reason);

    private void CountDone()
    {
        if (Interlocked.Increment(ref done) == Count)
            Close();
    }
}
