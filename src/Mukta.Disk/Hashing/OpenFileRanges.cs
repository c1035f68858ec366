using Microsoft.Win32.SafeHandles;

namespace Mukta.Hashing;

/// <summary>Told of a range that is hashed.</summary>
public delegate void RangeHashed(int index, in Hashed hashed);

/// <summary>Stretches of one file that is open already, and stays so.</summary>
public sealed class OpenFileRanges : HashedFile
{
    private readonly SafeFileHandle file;
    private readonly IReadOnlyList<HashRange> ranges;
    private readonly RangeHashed done;
    private Exception? failure;

    private OpenFileRanges(SafeFileHandle file, IReadOnlyList<HashRange> ranges, RangeHashed done) =>
        (this.file, this.ranges, this.done) = (file, ranges, done);

    /// <inheritdoc/>
    public override int Count => ranges.Count;

    /// <inheritdoc/>
    public override HashRange this[int index] => ranges[index];

    /// <summary>Hashes ranges in this thread.</summary>
    /// <exception cref="IOException">The disk fails.</exception>
    public static void Hash(
        SafeFileHandle file, IReadOnlyList<HashRange> ranges, RangeHashed done, WorkMeter? meter, CancellationToken cancel)
    {
        var asked = new OpenFileRanges(file, ranges, done);
        RangeHasher.Run([asked], meter, cancel, threads: 1);
        if (asked.failure is { } failure)
            throw failure;
    }

    /// <summary>Which pieces of a file are all there and have the hash they should have, among those asked for.</summary>
    /// <exception cref="IOException">The disk fails.</exception>
    public static IReadOnlySet<int> Proven(
        SafeFileHandle file, PieceList proof, long size, IReadOnlyList<int> pieces, CancellationToken cancel)
    {
        var right = new HashSet<int>();
        var asked = Pieces(file, proof, size, pieces, (piece, isRight) =>
        {
            if (isRight)
                right.Add(piece);
        });
        RangeHasher.Run([asked], null, cancel, threads: 1);
        return asked.failure is { } failure ? throw failure : right;
    }

    /// <summary>The pieces of an open file, for hashing many files together.</summary>
    /// <param name="file">The file.</param>
    /// <param name="proof">What its pieces should be.</param>
    /// <param name="size">How long it should be, in bytes.</param>
    /// <param name="pieces">Which are asked for.</param>
    /// <param name="compared">Told of each piece that could be read whether it is all there and has the hash it should have.</param>
    public static OpenFileRanges Pieces(
        SafeFileHandle file, PieceList proof, long size, IReadOnlyList<int> pieces, Action<int, bool> compared)
    {
        var ranges = pieces.Select(p => proof.RangeOf(p, size)).ToList();
        return new OpenFileRanges(file, ranges, Compare);

        void Compare(int index, in Hashed hashed) =>
            compared(pieces[index], hashed.Digest.SequenceEqual(proof[pieces[index]]));
    }

    /// <summary>Why a range could not be read; null if all could.</summary>
    public Exception? Failure => failure;

    /// <inheritdoc/>
    protected override SafeFileHandle Open() => file;

    /// <inheritdoc/>
    protected override bool IsOwned => false;

    /// <inheritdoc/>
    protected override void Done(int index, in Hashed hashed) => done(index, hashed);

    /// <inheritdoc/>
    protected override void Failed(int index, Exception reason) => failure ??= reason;
}
