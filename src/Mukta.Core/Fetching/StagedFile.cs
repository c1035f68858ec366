using System.Security.Cryptography;
using System.Text;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Fetching;

/// <summary>
/// A file that is being built in staging. Each piece is claimed by one writer at a time and counts only once its hash is
/// right. A file left by an interrupted run is taken up again: its pieces are hashed, and the right ones need not be fetched.
/// </summary>
internal sealed class StagedFile : IDisposable
{
    private const int Needed = 0, InFlight = 1, Proven = 2, NotWanted = 3;

    private readonly WritableFile bytes;
    private readonly int[] pieces;
    private readonly PieceList proof;
    private readonly bool isNew;

    private StagedFile(string path, ManifestFile file, WritableFile bytes, bool isNew)
    {
        (Path, File, this.bytes, this.isNew, proof) = (path, file, bytes, isNew, file.Proof);
        pieces = new int[file.PieceCount];
    }

    /// <summary>Where it is, relative to the install.</summary>
    public string Path { get; }

    /// <summary>As published.</summary>
    public ManifestFile File { get; }

    /// <summary>The open file, for reading.</summary>
    public SafeFileHandle Handle => bytes.Handle;

    /// <summary>Only one reader at a time may go through a body that covers the whole file.</summary>
    public SemaphoreSlim WholeBody { get; } = new(1, 1);

    /// <summary>Makes room for a file, or takes up what an interrupted run has left of it.</summary>
    /// <param name="install">The install.</param>
    /// <param name="stagingFolder">Where files are built.</param>
    /// <param name="file">As published.</param>
    /// <param name="wanted">The only ranges that are wanted; null for the whole file.</param>
    /// <param name="cancel">Ends the proving.</param>
    public static StagedFile Open(
        Folder install, string stagingFolder, ManifestFile file, IReadOnlyList<BadRange>? wanted, CancellationToken cancel)
    {
        var path = $"{stagingFolder}/{NameOf(file)}";
        var isLeft = install.Look(path) is { Kind: NodeKind.File } left && left.Size == file.Size;
        var staged = new StagedFile(path, file, install.OpenOrCreateFile(path, 0b110_000_000), !isLeft);
        try
        {
            if (wanted is not null)
            {
                Array.Fill(staged.pieces, NotWanted);
                foreach (var range in wanted)
                    Array.Fill(staged.pieces, Needed, range.FirstPiece, range.LastPiece - range.FirstPiece + 1);
            }

            if (isLeft)
                staged.Prove(cancel);
            else
                staged.bytes.SetLength(file.Size);
            return staged;
        }
        catch
        {
            staged.Dispose();
            throw;
        }
    }

    public ByteRange RangeOf(int piece) =>
        new(piece * proof.PieceLength, Math.Min(proof.PieceLength, File.Size - piece * proof.PieceLength));

    public int PieceAt(long offset) => (int)(offset / proof.PieceLength);

    public int PieceCount => pieces.Length;

    public bool IsNeeded(int piece) => Volatile.Read(ref pieces[piece]) == Needed;

    public bool IsComplete => pieces.All(p => p is Proven or NotWanted);

    /// <summary>Takes a piece for writing. False where it is done or somebody else has it.</summary>
    public bool TryClaim(int piece) => Interlocked.CompareExchange(ref pieces[piece], InFlight, Needed) == Needed;

    /// <summary>Gives a claimed piece back: proven, or still needed.</summary>
    public void Release(int piece, bool isProven) => Volatile.Write(ref pieces[piece], isProven ? Proven : Needed);

    public HashKind Kind => proof.Kind;

    public bool Matches(int piece, ReadOnlySpan<byte> digest) => digest.SequenceEqual(proof[piece]);

    /// <summary>Writes bytes of a claimed piece.</summary>
    public void Write(ReadOnlySpan<byte> data, long offset) => bytes.Write(data, offset);

    /// <summary>Copies bytes of another file, and answers how many there were.</summary>
    public long CopyFrom(SafeFileHandle from, long offset, ByteRange to) => bytes.CopyFrom(from, offset, to.Offset, to.Length);

    /// <summary>
    /// Takes the good pieces of the old file, hashing each on the way. Where the file system lets two files share their bytes,
    /// none is copied.
    /// </summary>
    public void TakeFrom(SafeFileHandle old, CancellationToken cancel)
    {
        if (isNew && bytes.TryClone(old))
        {
            bytes.SetLength(File.Size);
            Prove(cancel);
            return;
        }

        foreach (var piece in OpenFileRanges.Proven(old, proof, File.Size, NeededPieces(), cancel).Order())
        {
            cancel.ThrowIfCancellationRequested();
            var range = RangeOf(piece);
            if (!TryClaim(piece))
                continue;
            Release(piece, CopyFrom(old, range.Offset, range) == range.Length);
        }
    }

    /// <summary>True where a piece of another file has the published bytes of the same piece.</summary>
    public bool Proves(SafeFileHandle file, int piece, PieceHasher hasher, CancellationToken cancel) =>
        hasher.Proves(file, RangeOf(piece).Offset, RangeOf(piece).Length, Kind, proof[piece], null, cancel);

    /// <summary>Has the disk begin to write the file, so that many are flushed sooner together.</summary>
    public void BeginFlush() => bytes.BeginFlush();

    /// <summary>Flushes the file to the disk, drops it from memory and reads it back.</summary>
    /// <exception cref="MuktaException">What comes back is not what was written.</exception>
    public void ProveOnDisk(PieceHasher hasher, CancellationToken cancel)
    {
        bytes.Flush();
        bytes.DropFromMemory();
        var wanted = Enumerable.Range(0, pieces.Length).Where(p => pieces[p] != NotWanted).ToList();
        var isRight = OpenFileRanges.Proven(Handle, proof, File.Size, wanted, cancel).Count == wanted.Count;
        if (isRight && (File.AlsoProve is not { } whole || hasher.Proves(Handle, 0, File.Size, whole.Kind, whole.Digest, null, cancel)))
            return;
        throw new MuktaException(
            ExitCode.Blocked, "The new file does not read back as it should.", File.Path,
            "The old file was left as it was. Look at the system's log for disk errors, and test the machine's memory.");
    }

    public void Dispose()
    {
        bytes.Dispose();
        WholeBody.Dispose();
    }

    private List<int> NeededPieces() => [.. Enumerable.Range(0, pieces.Length).Where(IsNeeded)];

    /// <summary>Takes for proven what is right in the file already.</summary>
    private void Prove(CancellationToken cancel)
    {
        foreach (var piece in OpenFileRanges.Proven(Handle, proof, File.Size, NeededPieces(), cancel))
            pieces[piece] = Proven;
    }

    private static string NameOf(ManifestFile file)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        hash.AppendData(Encoding.UTF8.GetBytes($"{file.Path}\0{file.Size}\0{file.Proof.PieceLength}\0"));
        for (var piece = 0; piece < file.PieceCount; piece++)
            hash.AppendData(file.Proof[piece]);
        return Convert.ToHexStringLower(hash.GetHashAndReset().AsSpan(0, 16));
    }
}
