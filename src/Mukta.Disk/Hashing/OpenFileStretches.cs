using Microsoft.Win32.SafeHandles;

namespace Mukta.Hashing;

/// <summary>Told of a stretch that is hashed.</summary>
internal delegate void StretchHashed(int index, in Hashed hashed);

/// <summary>Stretches of one file that is open already, and stays so.</summary>
internal sealed class OpenFileStretches : HashedFile
{
    private readonly SafeFileHandle file;
    private readonly IReadOnlyList<Stretch> stretches;
    private readonly StretchHashed done;
    private Exception? failure;

    private OpenFileStretches(SafeFileHandle file, IReadOnlyList<Stretch> stretches, StretchHashed done) => (this.file, this.stretches, this.done) = (file, stretches, done);

    public override int Count => stretches.Count;

    public override Stretch this[int index] => stretches[index];

    /// <summary>Hashes stretches in this thread.</summary>
    /// <exception cref="IOException">The disk fails.</exception>
    public static void Hash(SafeFileHandle file, IReadOnlyList<Stretch> stretches, StretchHashed done, WorkMeter? meter, CancellationToken cancel)
    {
        var asked = new OpenFileStretches(file, stretches, done);
        StretchHasher.Run([asked], meter, cancel, threads: 1);
        if (asked.failure is { } failure)
            throw failure;
    }

    /// <summary>Which pieces of a file are all there and have the hash they should have, among those asked for.</summary>
    /// <exception cref="IOException">The disk fails.</exception>
    public static IReadOnlySet<int> Proven(SafeFileHandle file, PieceList proof, long size, IReadOnlyList<int> pieces, CancellationToken cancel)
    {
        var right = new HashSet<int>();
        var stretches = pieces.Select(p => new Stretch(p * proof.PieceLength, Math.Min(proof.PieceLength, size - (p * proof.PieceLength)), proof.Kind)).ToList();
        Hash(file, stretches, Compare, null, cancel);
        return right;

        void Compare(int index, in Hashed hashed)
        {
            if (hashed.Digest.SequenceEqual(proof[pieces[index]]))
                right.Add(pieces[index]);
        }
    }

    protected override SafeFileHandle Open() => file;

    protected override bool IsOwned => false;

    protected override void Done(int index, in Hashed hashed) => done(index, hashed);

    protected override void Failed(int index, Exception reason) => failure ??= reason;
}
