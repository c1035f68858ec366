using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing.Lanes;

namespace Mukta.Hashing;

/// <summary>
/// Reads ranges of files and hashes them, on all cores and in all lanes of each. Memory does not grow with files, nor with
/// their sizes. Files are not mapped: one that is cut short meanwhile would end the program.
/// </summary>
public sealed class RangeHasher
{
    private readonly LaneKernel? kernel;
    private readonly WorkMeter? meter;
    private readonly CancellationToken cancel;

    internal RangeHasher(LaneKernel? kernel, WorkMeter? meter, CancellationToken cancel) =>
        (this.kernel, this.meter, this.cancel) = (kernel, meter, cancel);

    /// <summary>Bytes of each lane's buffer: sixteen of them stay in the second-level cache.</summary>
    private const int BufferLength = 32 * 1024;

    /// <summary>Below that the way to hash is not worth choosing.</summary>
    private const long WorthChoosing = 8L << 20;

    /// <summary>Below that a second thread is sooner done without than begun.</summary>
    private const long WorthThreads = 4L << 20;

    /// <summary>So few lanes are slower than the platform's implementation one after the other.</summary>
    private const int TooFewLanes = 3;

    private bool readsWithoutWaiting = true;
    private bool dropsWhatItReads;

    /// <summary>Hashes all ranges of files, with the fastest way that this machine has.</summary>
    /// <param name="files">The files.</param>
    /// <param name="meter">Counts the bytes.</param>
    /// <param name="cancel">Ends it.</param>
    /// <param name="threads">How many; null for all cores.</param>
    /// <param name="ofBytes">How many bytes will be hashed in all, if these are a part of them.</param>
    /// <exception cref="OperationCanceledException">It was interrupted.</exception>
    public static void Run(
        IReadOnlyList<HashedFile> files, WorkMeter? meter, CancellationToken cancel, int? threads = null, long ofBytes = 0)
    {
        // By the files' numbers; where each way of a disk's head costs time, by where they lie, and with one reader.
        var isRotating = files.Count > 0 && files[0].Place.Device != 0 && DiskOrder.IsRotating(files[0].Place.Device);
        var byPlace = isRotating && MostlyCold(files);
        var queue = new RangeQueue(
            [.. byPlace ? files.OrderBy(f => f.Look(DiskOrder.StartOf) ?? 0)
            : files.OrderBy(f => f.Place.Device).ThenBy(f => f.Place.Inode)])
        {
            HasOneReader = isRotating,
        };
        new RangeHasher(IsWorthChoosing(Math.Max(queue.BytesLeft, ofBytes)) ? LaneKernel.Best : null, meter, cancel)
            .Run(queue, files, threads ?? Environment.ProcessorCount);
    }

    /// <summary>True if so many bytes are worth a measurement of a few milliseconds, or the user says which way to take.</summary>
    public static bool IsWorthChoosing(long bytes) => bytes >= WorthChoosing || LaneKernel.IsForced;

    /// <summary>The same in so many threads.</summary>
    internal void Run(RangeQueue queue, IReadOnlyList<HashedFile> files, int threads)
    {
        dropsWhatItReads = queue.BytesLeft > GC.GetGCMemoryInfo().TotalAvailableMemoryBytes / 4;
        try
        {
            if (threads == 1 || queue.BytesLeft < WorthThreads)
                RunHere(queue);
            else
            {
                Task.WaitAll(
                    [.. Enumerable.Range(0, threads)
                    .Select(_ => Task.Factory.StartNew(
                    () => RunHere(queue), CancellationToken.None, TaskCreationOptions.LongRunning, TaskScheduler.Default))],
                    CancellationToken.None);
            }
        }
        catch (AggregateException e) when (e.InnerExceptions.OfType<OperationCanceledException>().FirstOrDefault() is { } canceled)
        {
            throw new OperationCanceledException(canceled.Message, canceled, cancel);
        }
        finally
        {
            foreach (var file in files)
                file.Close();
        }
    }

    /// <summary>True if most of a few files have to be waited for.</summary>
    private static bool MostlyCold(IReadOnlyList<HashedFile> files)
    {
        const int Asked = 16;
        var cold = 0;
        for (var i = 0; i < Asked; i++)
        {
            if (files[(int)((long)i * files.Count / Asked)]
                .Look(file => Native.ReadNow(file, new byte[1], 0, out var error) < 0 && error == DiskException.WouldBlock) == true)
                cold++;
        }

        return cold > Asked / 2;
    }

    private void RunHere(RangeQueue queue)
    {
        using var single = new PieceHasher();
        if (kernel is null)
        {
            while (queue.TryTake(out var file, out var index, out _))
                HashAlone(file, index, single);
            return;
        }

        using var set = new LaneSet(kernel, BufferLength);
        var lanes = new Lane[kernel.Lanes];
        Span<byte> digest = stackalloc byte[32];
        while (true)
        {
            cancel.ThrowIfCancellationRequested();
            for (var lane = 0; lane < lanes.Length; lane++)
                Feed(queue, set, lane, ref lanes[lane], single);
            var busy = lanes.Count(l => l.File is not null);
            if (busy == 0)
                return;
            if (busy < TooFewLanes && lanes.All(l => l.File is null || l.IsFresh))
            {
                Leave(set, lanes, single);
                continue;
            }

            set.Run();
            for (var lane = 0; lane < lanes.Length; lane++)
            {
                lanes[lane].IsFresh = false;
                if (!set.IsOver(lane))
                    continue;
                set.Take(lane, digest);
                End(ref lanes[lane], digest);
            }
        }
    }

    /// <summary>Gives a lane that is empty its next bytes, if need be of the next range, until it has some or none are left.</summary>
    private void Feed(RangeQueue queue, LaneSet set, int number, ref Lane lane, PieceHasher single)
    {
        while (true)
        {
            if (lane.File is null)
            {
                if (!queue.TryTake(out var file, out var index, out var isLong))
                    return;
                var range = file[index];
                if (isLong || range.Kind != HashKind.Sha256 || file.Handle is not { } handle)
                {
                    HashAlone(file, index, single);
                    continue;
                }

                lane = new Lane { File = file, Index = index, Handle = handle, HashRange = range, IsFresh = true };
                set.Begin(number);
            }

            if (!set.WantsMore(number) || TryFill(queue, set, number, ref lane))
                return;
            set.Drop(number); // It could not be read, or ended early.
            lane = default;
        }
    }

    /// <summary>Reads the next bytes of a lane's range. False if that ended it.</summary>
    private bool TryFill(RangeQueue queue, LaneSet set, int number, ref Lane lane)
    {
        var wanted = (int)Math.Min(BufferLength, lane.HashRange.Length - lane.Done);
        var buffer = set.Buffer(number)[..wanted];
        int got;
        try
        {
            got = Read(queue, ref lane, buffer);
        }
        catch (IOException e)
        {
            lane.File!.Fail(lane.Index, e);
            return false;
        }

        lane.CountZeros(buffer[..got]);
        lane.Done += got;
        meter?.Count(got);
        if (got < wanted)
        {
            End(ref lane, default);
            return false;
        }

        set.Filled(number, wanted, lane.Done == lane.HashRange.Length);
        return true;
    }

    /// <summary>Fills a buffer from a file, as far as the file goes. What is in memory is taken from there; what is not is noted.</summary>
    private int Read(RangeQueue queue, ref Lane lane, Span<byte> buffer)
    {
        var done = 0;
        while (done < buffer.Length)
        {
            var got = readsWithoutWaiting && !lane.IsCold
                ? Native.ReadNow(lane.Handle, buffer[done..], lane.HashRange.Offset + lane.Done + done, out var error) : Waited(out error);
            if (got < 0 && error == DiskException.NotSupported)
                readsWithoutWaiting = false;
            if (got < 0)
            {
                if (error == DiskException.WouldBlock)
                {
                    lane.IsCold = true;
                    queue.NoteCold();
                }

                got = queue.Read(lane.Handle, buffer[done..], lane.HashRange.Offset + lane.Done + done);
            }

            if (got == 0)
                break;
            done += got;
        }

        return done;

        static int Waited(out int error)
        {
            error = 0;
            return -1;
        }
    }

    private void End(ref Lane lane, ReadOnlySpan<byte> digest)
    {
        if (lane.IsCold && dropsWhatItReads)
            _ = Native.Advise(lane.Handle, lane.HashRange.Offset, lane.HashRange.Length, Native.AdviseDontNeed);
        lane.File!.Finish(lane.Index, new Hashed(digest, lane.Zeros));
        lane = default;
    }

    /// <summary>Hashes what is in a few lanes that have only just begun one after the other.</summary>
    private void Leave(LaneSet set, Lane[] lanes, PieceHasher single)
    {
        for (var lane = 0; lane < lanes.Length; lane++)
        {
            if (lanes[lane].File is not { } file)
                continue;
            set.Drop(lane);
            meter?.Count(-lanes[lane].Done);
            HashAlone(file, lanes[lane].Index, single);
            lanes[lane] = default;
        }
    }

    private void HashAlone(HashedFile file, int index, PieceHasher single)
    {
        try
        {
            if (file.Handle is not { } handle)
            {
                file.Fail(index, null);
                return;
            }

            var range = file[index];
            var digest = single.Hash(handle, range, out var zeros, meter, cancel);
            file.Finish(index, new Hashed(digest, zeros));
        }
        catch (IOException e)
        {
            file.Fail(index, e);
        }
    }

    private struct Lane
    {
        public HashedFile? File;
        public int Index;
        public SafeFileHandle Handle;
        public HashRange HashRange;
        public long Done, Zeros;
        public bool IsFresh, IsCold;

        public void CountZeros(ReadOnlySpan<byte> bytes)
        {
            var last = bytes.LastIndexOfAnyExcept((byte)0);
            Zeros = last < 0 ? Zeros + bytes.Length : bytes.Length - 1 - last;
        }
    }
}
