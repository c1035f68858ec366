using System.Buffers.Binary;
using System.Runtime.InteropServices;

namespace Mukta.Hashing.Lanes;

/// <summary>
/// The lanes of a kernel with a buffer each. A lane takes one message after the other, of any length: its owner fills the
/// buffer, says how much that was and whether it was the last of the message, runs, and takes the digest.
/// </summary>
/// <remarks>
/// Unsafe, and sound: all memory is one block of its own that lives as long as this object, which only one thread uses;
/// <see cref="Filled"/> refuses more than the buffer holds; the room for the padding is behind each buffer; <see cref="Run()"/> never
/// runs over the shortest lane's end, and lanes without a message read from a buffer of their own, as long as the others.
/// </remarks>
internal sealed unsafe class LaneSet : IDisposable
{
    private const int BlockLength = 64;
    private const int Padding = 2 * BlockLength;

    private readonly LaneKernel kernel;
    private readonly int capacity;
    private readonly byte* memory, buffers, idle;
    private readonly uint* state;
    private readonly byte** positions;
    private readonly nint[] blocksLeft;
    private readonly long[] lengths;
    private readonly bool[] isBusy, isLast;

    /// <summary>Makes the lanes.</summary>
    /// <param name="kernel">What hashes.</param>
    /// <param name="capacity">Bytes of each lane's buffer, a multiple of 64.</param>
    public LaneSet(LaneKernel kernel, int capacity)
    {
        if (capacity <= 0 || capacity % BlockLength != 0)
            throw new ArgumentOutOfRangeException(nameof(capacity), "not a multiple of 64");
        (this.kernel, this.capacity) = (kernel, capacity);
        (blocksLeft, lengths, isBusy, isLast) =
            (new nint[kernel.Lanes], new long[kernel.Lanes], new bool[kernel.Lanes], new bool[kernel.Lanes]);
        var stateLength = kernel.Lanes * 8 * sizeof(uint);
        var pointers = Rounded(kernel.Lanes * sizeof(byte*));
        var all = stateLength + pointers + ((kernel.Lanes + 1) * (capacity + Padding));
        memory = (byte*)NativeMemory.AlignedAlloc((nuint)all, BlockLength);
        NativeMemory.Clear(memory, (nuint)(stateLength + pointers));
        state = (uint*)memory;
        positions = (byte**)(memory + stateLength);
        buffers = memory + stateLength + pointers;
        idle = buffers + (kernel.Lanes * (capacity + Padding));
        for (var lane = 0; lane < kernel.Lanes; lane++)
            positions[lane] = idle;
    }

    /// <summary>How many lanes there are.</summary>
    public int Count => kernel.Lanes;

    /// <summary>Begins a message in a lane that has none.</summary>
    public void Begin(int lane)
    {
        if (isBusy[lane])
            throw new InvalidOperationException("The lane has a message.");
        for (var word = 0; word < 8; word++)
            state[(word * kernel.Lanes) + lane] = RoundConstants.Initial[word];
        (isBusy[lane], isLast[lane], lengths[lane], blocksLeft[lane]) = (true, false, 0, 0);
    }

    /// <summary>True if a lane has a message and wants more of it.</summary>
    public bool WantsMore(int lane) => isBusy[lane] && !isLast[lane] && blocksLeft[lane] == 0;

    /// <summary>True if a lane's message is all taken in.</summary>
    public bool IsOver(int lane) => isBusy[lane] && isLast[lane] && blocksLeft[lane] == 0;

    /// <summary>A lane's buffer, to be filled.</summary>
    public Span<byte> Buffer(int lane) => new(At(lane), capacity);

    /// <summary>Says that a lane's buffer holds the next bytes of its message.</summary>
    /// <param name="lane">The lane.</param>
    /// <param name="length">How many; all but the last time a multiple of 64.</param>
    /// <param name="isTheLast">True if the message ends here.</param>
    public void Filled(int lane, int length, bool isTheLast)
    {
        ArgumentOutOfRangeException.ThrowIfGreaterThan((uint)length, (uint)capacity);
        if (!WantsMore(lane) || (!isTheLast && (length == 0 || length % BlockLength != 0)))
            throw new InvalidOperationException("This is no next part of a message.");
        lengths[lane] += length;
        isLast[lane] = isTheLast;
        blocksLeft[lane] = (isTheLast ? Pad(At(lane), length, lengths[lane]) : length) / BlockLength;
        positions[lane] = At(lane);
    }

    /// <summary>Takes in as many blocks as every lane with a message has. All of those must have been filled.</summary>
    public void Run()
    {
        var least = nint.MaxValue;
        for (var lane = 0; lane < kernel.Lanes; lane++)
            least = isBusy[lane] ? nint.Min(least, blocksLeft[lane]) : least;
        if (least == nint.MaxValue || least == 0)
            throw new InvalidOperationException("A lane is empty.");
        Run(least);
        for (var lane = 0; lane < kernel.Lanes; lane++)
        {
            if (!isBusy[lane])
                continue;
            blocksLeft[lane] -= least;
            positions[lane] += least * BlockLength;
        }
    }

    /// <summary>Writes the digest of a message that is over, and leaves the lane without one.</summary>
    public void Take(int lane, Span<byte> digest)
    {
        if (!IsOver(lane))
            throw new InvalidOperationException("The message is not over.");
        for (var word = 0; word < 8; word++)
            BinaryPrimitives.WriteUInt32BigEndian(digest[(word * 4)..], state[(word * kernel.Lanes) + lane]);
        Drop(lane);
    }

    /// <summary>Leaves a lane without a message, however far it had come.</summary>
    public void Drop(int lane)
    {
        isBusy[lane] = false;
        positions[lane] = idle;
    }

    public void Dispose() => NativeMemory.AlignedFree(memory);

    /// <summary>Takes in blocks, for measuring too: then the lanes read what happens to be in their buffers.</summary>
    internal void Run(nint blocks)
    {
        if (blocks * BlockLength > capacity + Padding)
            throw new ArgumentOutOfRangeException(nameof(blocks));
        kernel.Compress(state, positions, blocks);
    }

    /// <summary>The padding of FIPS 180-4, 5.1.1: a one, zeros, and the message's length in bits.</summary>
    /// <returns>Bytes with the padding, a multiple of 64.</returns>
    private static int Pad(byte* bytes, int length, long messageLength)
    {
        var padded = Rounded(length + 1 + sizeof(ulong));
        new Span<byte>(bytes + length, padded - length).Clear();
        bytes[length] = 0x80;
        BinaryPrimitives.WriteUInt64BigEndian(new Span<byte>(bytes + padded - sizeof(ulong), sizeof(ulong)), (ulong)messageLength * 8);
        return padded;
    }

    private static int Rounded(int length) => (length + BlockLength - 1) / BlockLength * BlockLength;

    private byte* At(int lane) =>
        (uint)lane < (uint)kernel.Lanes ? buffers + (lane * (capacity + Padding)) : throw new ArgumentOutOfRangeException(nameof(lane));
}
