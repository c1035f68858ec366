using Mukta.Hashing;

namespace Mukta.Fetching;

/// <summary>
/// Short pieces that have come at about the same time: proving them together takes a fraction of the time. A piece waits for others only
/// while some are on their way.
/// </summary>
/// <param name="hasher">What hashes them.</param>
internal sealed class PieceGroup(MessageHasher hasher) : IDisposable
{
    private readonly Lock gate = new();
    private readonly Lock hashing = new();
    private List<Waiting> waiting = [];
    private int coming;

    /// <summary>A piece is on its way.</summary>
    public void Expect()
    {
        lock (gate)
            coming++;
    }

    /// <summary>A piece has come.</summary>
    /// <param name="staged">The file that it is of.</param>
    /// <param name="piece">Its number.</param>
    /// <param name="bytes">Its bytes, which stay as they are until the task is done.</param>
    /// <returns>True once it is proven to be the published one, false if it is another. Comes after <see cref="Ended"/>.</returns>
    public Task<bool> Add(StagedFile staged, int piece, ReadOnlyMemory<byte> bytes)
    {
        var added = new Waiting(staged, piece, bytes);
        lock (gate)
            waiting.Add(added);
        return added.Proof.Task;
    }

    /// <summary>A piece that was on its way was added, or will not come.</summary>
    public void Ended()
    {
        List<Waiting> ready;
        lock (gate)
        {
            coming--;
            if (waiting.Count == 0 || (coming > 0 && waiting.Count < hasher.AtOnce))
                return;
            (ready, waiting) = (waiting, []);
        }

        lock (hashing)
        {
            hasher.Hash(
                [.. ready.Select(w => w.Bytes)],
                (i, digest) => ready[i].Proof.SetResult(ready[i].Staged.Matches(ready[i].Piece, digest)));
        }
    }

    public void Dispose() => hasher.Dispose();

    private sealed record Waiting(StagedFile Staged, int Piece, ReadOnlyMemory<byte> Bytes)
    {
        public TaskCompletionSource<bool> Proof { get; } = new(TaskCreationOptions.RunContinuationsAsynchronously);
    }
}
