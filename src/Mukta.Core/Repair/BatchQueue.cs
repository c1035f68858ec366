using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using System.Threading.Channels;
using Mukta.Disk;
using Mukta.Repair.Local;

namespace Mukta.Repair;

/// <summary>Batches of files on their way: the first is placed, one is flushed, and the last is built.</summary>
internal sealed class BatchQueue : IDisposable
{
    /// <summary>So many files open at a time are enough for batches of the greatest length.</summary>
    public const int WantedOpen = 4096;

    private const int Longest = 512;
    private const int OpenOtherwise = 96; // The program itself, connections, and what is being read.
    private const long MostBytesInBatch = 64 << 20;
    private const int MostBatches = 3;

    /// <summary>
    /// So many changes or files at most go together: a file is open until it is placed, and while a batch is placed, so are the folders
    /// that it goes to. As many once more are left to spare.
    /// </summary>
    public static int MostInBatch =>
        Math.Clamp((OpenFileLimit.Now - LocalPieces.MostHeld - OpenOtherwise) / (MostBatches + 2), 1, Longest);

    private readonly SemaphoreSlim room = new(MostBatches, MostBatches);
    private readonly Channel<Batch> begun = Channel.CreateUnbounded<Batch>();
    private readonly ConcurrentQueue<Batch> open = [];

    /// <summary>The files of all batches, in the plan's order. A batch is begun once there is room for it.</summary>
    public async IAsyncEnumerable<Building> FilesAsync(
        IEnumerable<PutFile> puts, [EnumeratorCancellation] CancellationToken cancel)
    {
        foreach (var batch in Batches(puts))
        {
            await room.WaitAsync(cancel).ConfigureAwait(false);
            open.Enqueue(batch);
            begun.Writer.TryWrite(batch);
            foreach (var file in batch.Files)
                yield return file;
        }

        begun.Writer.Complete();
    }

    /// <summary>The batches in the order in which they are begun.</summary>
    public IAsyncEnumerable<Batch> ReadAsync(CancellationToken cancel) => begun.Reader.ReadAllAsync(cancel);

    /// <summary>The first batch is placed. Nothing holds it any longer.</summary>
    public void Done(Batch first)
    {
        open.TryDequeue(out _);
        first.Dispose();
        room.Release();
    }

    /// <summary>Closes the files that were built and not placed. Nobody may be building any more.</summary>
    public void Dispose()
    {
        foreach (var left in open)
            left.Dispose();
        room.Dispose();
    }

    /// <summary>So many files to a batch: what is in one does not depend on which file comes first.</summary>
    private static IEnumerable<Batch> Batches(IEnumerable<PutFile> puts)
    {
        var (batch, bytes, most) = (new List<Building>(), 0L, MostInBatch);
        foreach (var put in puts)
        {
            if (batch.Count == most || (batch.Count > 0 && bytes + put.File.Size > MostBytesInBatch))
            {
                yield return new Batch(batch);
                (batch, bytes) = ([], 0);
            }

            batch.Add(new Building(put));
            bytes += put.File.Size;
        }

        if (batch.Count > 0)
            yield return new Batch(batch);
    }
}

/// <summary>A file that is being built.</summary>
internal sealed record Building(PutFile Put)
{
    /// <summary>Comes once it is built; null if it cannot be.</summary>
    public TaskCompletionSource<StagedPut?> Built { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
}

/// <summary>Files that are placed together.</summary>
internal sealed record Batch(IReadOnlyList<Building> Files) : IDisposable
{
    /// <summary>Waits until all are built; answers those that could be.</summary>
    public async Task<IReadOnlyList<StagedPut>> BuiltAsync(CancellationToken cancel) =>
        [.. (await Task.WhenAll(Files.Select(f => f.Built.Task)).WaitAsync(cancel).ConfigureAwait(false)).OfType<StagedPut>()];

    /// <summary>Closes the built files. Nobody may be building any more.</summary>
    public void Dispose()
    {
        foreach (var built in Files.Where(f => f.Built.Task.IsCompletedSuccessfully))
            built.Built.Task.Result?.Staged.Dispose();
    }
}
