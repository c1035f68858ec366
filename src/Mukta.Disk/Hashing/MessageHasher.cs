using Mukta.Hashing.Lanes;

namespace Mukta.Hashing;

/// <summary>SHA-256 (FIPS 180-4) of messages in memory, several at once. One thread at a time may use it.</summary>
public sealed class MessageHasher : IDisposable
{
    private const int BufferLength = 32 * 1024;

    /// <summary>So few are sooner hashed one after the other.</summary>
    private const int TooFew = 3;

    private readonly LaneSet lanes;

    private MessageHasher(LaneKernel kernel) => lanes = new LaneSet(kernel, BufferLength);

    /// <summary>How many messages it takes at once.</summary>
    public int AtOnce => lanes.Count;

    /// <summary>Told of the digest of each message, by its number.</summary>
    public delegate void Taker(int index, ReadOnlySpan<byte> digest);

    /// <summary>Makes one for so many bytes in all; null where messages are hashed as fast one after the other.</summary>
    public static MessageHasher? For(long bytes) =>
        RangeHasher.IsWorthChoosing(bytes) && LaneKernel.Best is { } kernel ? With(kernel) : null;

    internal static MessageHasher With(LaneKernel kernel) => new(kernel);

    /// <summary>Hashes messages.</summary>
    public void Hash(IReadOnlyList<ReadOnlyMemory<byte>> messages, Taker taken)
    {
        Span<byte> digest = stackalloc byte[HashKind.Sha256.DigestLength()];
        for (var first = 0; first < messages.Count; first += AtOnce)
        {
            var count = Math.Min(AtOnce, messages.Count - first);
            if (count >= TooFew)
            {
                HashTogether(messages, first, count, digest, taken);
                continue;
            }

            for (var i = first; i < first + count; i++)
            {
                HashKind.Sha256.Hash(messages[i].Span, digest);
                taken(i, digest);
            }
        }
    }

    /// <inheritdoc/>
    public void Dispose() => lanes.Dispose();

    private void HashTogether(IReadOnlyList<ReadOnlyMemory<byte>> messages, int first, int count, Span<byte> digest, Taker taken)
    {
        var done = new int[count];
        for (var lane = 0; lane < count; lane++)
            lanes.Begin(lane);
        for (var left = count; left > 0;)
        {
            for (var lane = 0; lane < count; lane++)
            {
                if (lanes.WantsMore(lane))
                    Fill(lane, messages[first + lane].Span, ref done[lane]);
            }

            lanes.Run();
            for (var lane = 0; lane < count; lane++)
            {
                if (!lanes.IsOver(lane))
                    continue;
                lanes.Take(lane, digest);
                taken(first + lane, digest);
                left--;
            }
        }
    }

    private void Fill(int lane, ReadOnlySpan<byte> message, ref int done)
    {
        var next = message.Slice(done, Math.Min(BufferLength, message.Length - done));
        next.CopyTo(lanes.Buffer(lane));
        done += next.Length;
        lanes.Filled(lane, next.Length, done == message.Length);
    }
}
