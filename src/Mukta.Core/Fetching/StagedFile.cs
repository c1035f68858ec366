using System.Buffers;
using System.IO.Hashing;
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
    private SemaphoreSlim? wholeBody;
    private int readBack;
    private Node proven;
    private bool isEmpty;

    private StagedFile(string path, ManifestFile file, WritableFile bytes, bool isEmpty)
    {
        (Path, File, this.bytes, this.isEmpty, proof) = (path, file, bytes, isEmpty, file.Proof);
        pieces = new int[file.PieceCount];
    }

    /// <summary>Where it is, relative to the install.</summary>
    public string Path { get; }

    /// <summary>As published.</summary>
    public ManifestFile File { get; }

    /// <summary>The open file, for reading.</summary>
    public SafeFileHandle Handle => bytes.Handle;

    /// <summary>Only one reader at a time may go through a body that covers the whole file.</summary>
    public SemaphoreSlim WholeBody => LazyInitializer.EnsureInitialized(ref wholeBody, () => new SemaphoreSlim(1, 1));

    /// <summary>Makes room for a file, or takes up what an interrupted run has left of it.</summary>
    /// <param name="install">The install.</param>
    /// <param name="stagingFolder">Where files are built.</param>
    /// <param name="file">As published.</param>
    /// <param name="wanted">The only ranges that are wanted; null for the whole file.</param>
    /// <param name="cancel">Ends the proving.</param>
    public static StagedFile Open(
        Folder install, string stagingFolder, ManifestFile file, IReadOnlyList<BadRange>? wanted, CancellationToken cancel)
    {
        const int Private = 0b110_000_000;
        var path = PathOf(stagingFolder, file);
        var made = install.TryCreateFile(path, Private);
        var isLeft = made is null && install.Look(path) is { Kind: NodeKind.File } left && left.Size == file.Size;
        var staged = new StagedFile(path, file, made ?? install.OpenOrCreateFile(path, Private), !isLeft);
        try
        {
            if (wanted is not null)
            {
                Array.Fill(staged.pieces, NotWanted);
                foreach (var range in wanted)
                    Array.Fill(staged.pieces, Needed, range.FirstPiece, range.LastPiece - range.FirstPiece + 1);
            }

            if (isLeft)
                staged.ProveLeft(cancel);
            else if (made is null || staged.PieceCount != 1)
                staged.bytes.SetLength(file.Size); // One new piece gives the file its length.
            return staged;
        }
        catch
        {
            staged.Dispose();
            throw;
        }
    }

    public ByteRange RangeOf(int piece) => proof.RangeOf(piece, File.Size) is var range ? new(range.Offset, range.Length) : default;

    public int PieceAt(long offset) => (int)(offset / proof.PieceLength);

    public int PieceCount => pieces.Length;

    public bool IsNeeded(int piece) => Volatile.Read(ref pieces[piece]) == Needed;

    public bool IsComplete => pieces.All(p => p is Proven or NotWanted);

    /// <summary>Takes a piece for writing. False if it is done or somebody else has it.</summary>
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
    /// none is copied; only of the first file, since it takes the place of what is there.
    /// </summary>
    public void TakeFrom(SafeFileHandle old, CancellationToken cancel)
    {
        var mayClone = isEmpty;
        isEmpty = false;
        if (mayClone && bytes.TryClone(old))
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

    /// <summary>True if a piece of another file has the published bytes of the same piece.</summary>
    public bool Proves(SafeFileHandle file, int piece, PieceHasher hasher, CancellationToken cancel) =>
        hasher.Proves(file, proof.RangeOf(piece, File.Size), proof[piece], cancel);

    /// <summary>Gives the file the owner, group and mode it is to have in its place.</summary>
    public void SetMetadata(uint user, uint group, int mode) => bytes.SetMetadata(user, group, mode);

    /// <summary>Has the disk begin to write a long file, so that it is flushed sooner.</summary>
    public void BeginFlush()
    {
        const long Long = 1 << 20;
        if (File.Size >= Long)
            bytes.BeginFlush();
    }

    /// <summary>Flushes the file to the disk.</summary>
    public void Flush() => bytes.Flush();

    /// <summary>
    /// What is to be read back once the file is flushed: all that is wanted of it, and not from memory. Afterwards <see
    /// cref="RefuseUnlessReadBack"/> tells how it went.
    /// </summary>
    public OpenFileRanges ToReadBack()
    {
        bytes.DropFromMemory();
        (readBack, proven) = (0, Folder.Look(Handle));
        var wanted = Enumerable.Range(0, pieces.Length).Where(p => pieces[p] != NotWanted).ToList();
        return OpenFileRanges.Pieces(Handle, proof, File.Size, wanted, (_, isRight) => Interlocked.Add(ref readBack, isRight ? 1 : 0));
    }

    /// <summary>Says whether the file has read back as published.</summary>
    /// <exception cref="IOException">It could not be read.</exception>
    /// <exception cref="MuktaException">What came back is not what was written.</exception>
    public void RefuseUnlessReadBack(OpenFileRanges ranges, CancellationToken cancel)
    {
        if (ranges.Failure is { } failure)
            throw failure;
        var isRight = readBack == ranges.Count && RandomAccess.GetLength(Handle) == File.Size;
        if (isRight && File.AlsoProve is { } whole)
        {
            using var hasher = new PieceHasher();
            isRight = hasher.Proves(Handle, new HashRange(0, File.Size, whole.Kind), whole.Digest, cancel);
        }

        if (!isRight)
        {
            throw new MuktaException(
                ExitCode.Blocked, "The new file does not read back as it should.", File.Path,
                "The old file was left as it was. Check the system's log for disk errors, and test the machine's memory.");
        }
    }

    /// <summary>True if what is at its path is still the file that was read back, and nobody has touched it since.</summary>
    public bool IsAsReadBack(Node? atPath) => atPath is { } there && there.IsSameAs(proven);

    /// <summary>True if what is in its place is the file that was read back. Moving it there changes its time of change.</summary>
    public bool IsAsReadBackIn(Node? place) => place is { } there && there.IsSameAs(proven with { ChangedNs = there.ChangedNs });

    public void Dispose()
    {
        bytes.Dispose();
        wholeBody?.Dispose();
    }

    /// <summary>
    /// Takes for proven what is right in a file that another run has left. What that run could not write may still be right in memory:
    /// the flush fails then, and drops it.
    /// </summary>
    private void ProveLeft(CancellationToken cancel)
    {
        try
        {
            Flush(); // Fails where that run could not write.
        }
        catch (DiskException)
        {
            // What is lost is fetched again.
        }

        Prove(cancel);
    }

    private List<int> NeededPieces() => [.. Enumerable.Range(0, pieces.Length).Where(IsNeeded)];

    /// <summary>Takes for proven what is right in the file already.</summary>
    private void Prove(CancellationToken cancel)
    {
        foreach (var piece in OpenFileRanges.Proven(Handle, proof, File.Size, NeededPieces(), cancel))
            pieces[piece] = Proven;
    }

    /// <summary>Where a file is built, by its name and content.</summary>
    public static string PathOf(string stagingFolder, ManifestFile file) => $"{stagingFolder}/{NameOf(file)}";

    private static string NameOf(ManifestFile file)
    {
        var proof = file.Proof;
        var about = new ArrayBufferWriter<byte>();
        Encoding.UTF8.GetBytes($"{file.Path}\0{file.Size}\0{proof.PieceLength}\0", about);
        for (var piece = 0; piece < proof.Count; piece++)
            about.Write(proof[piece]);
        // Files that somebody makes meet in one name spoil each other, and are then not as published.
        return Convert.ToHexStringLower(XxHash128.Hash(about.WrittenSpan));
    }
}
