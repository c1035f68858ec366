using System.Buffers;
using System.Security.Cryptography;
using Mukta.Hashing;

namespace Mukta.Fetching;

/// <summary>
/// Takes the bytes of a staged file's pieces as they come, one piece after the other, hashes and writes them. Those of a short piece are
/// written only once they are right.
/// </summary>
internal sealed class PieceIntake(StagedFile staged) : IDisposable
{
    /// <summary>A piece up to this length is held until it is proven.</summary>
    public const int BufferLength = 128 * 1024;

    private readonly byte[] buffer = ArrayPool<byte>.Shared.Rent(BufferLength);
    private IncrementalHash? running;
    private bool isKept;
    private int piece, filled;
    private long done;
    private ByteRange range;

    /// <summary>Bytes of the piece that are still to come.</summary>
    public long Left => range.Length - done;

    /// <summary>Where the next of them go.</summary>
    public Memory<byte> Free => buffer.AsMemory(filled, (int)Math.Min(buffer.Length - filled, Left));

    /// <summary>Begins a piece.</summary>
    /// <param name="number">Its number.</param>
    /// <param name="isWanted">False if its bytes only have to be read over.</param>
    public void Begin(int number, bool isWanted)
    {
        (piece, isKept, filled, done, range) = (number, isWanted, 0, 0, staged.RangeOf(number));
        running?.Dispose();
        running = null;
    }

    /// <summary>So many bytes have come.</summary>
    public void Came(int count)
    {
        (filled, done) = (filled + count, done + count);
        if (filled == buffer.Length && Left > 0)
            Spill();
    }

    /// <summary>True if the piece is the published one; it is written then.</summary>
    public bool End()
    {
        Span<byte> digest = stackalloc byte[HashKinds.LongestDigest];
        if (running is not null)
        {
            Spill();
            return staged.Matches(piece, digest[..running.GetHashAndReset(digest)]);
        }

        return Keep(staged.Matches(piece, digest[..staged.Kind.Hash(buffer.AsSpan(0, filled), digest)]));
    }

    /// <summary>The same for a piece that fits into the buffer, proven together with others.</summary>
    /// <param name="slot">The request's, which is over.</param>
    public async Task<bool> EndAsync(RequestSlot slot)
    {
        var proof = slot.Group!.Add(staged, piece, buffer.AsMemory(0, filled));
        slot.Leave();
        return Keep(await proof.ConfigureAwait(false));
    }

    public void Dispose()
    {
        running?.Dispose();
        ArrayPool<byte>.Shared.Return(buffer);
    }

    private bool Keep(bool isRight)
    {
        if (isRight)
            staged.Write(buffer.AsSpan(0, filled), range.Offset);
        return isRight;
    }

    private void Spill()
    {
        if (isKept)
        {
            running ??= staged.Kind.Start();
            running.AppendData(buffer, 0, filled);
            staged.Write(buffer.AsSpan(0, filled), range.Offset + done - filled);
        }

        filled = 0;
    }
}
