using System.Collections.Concurrent;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Manifests;

namespace Mukta.Verification;

/// <summary>
/// Reads files and says which pieces are bad, on all cores: a large file is cut into spans that are read side by side.
/// Memory does not grow with the size of a file.
/// </summary>
internal sealed class ContentCheck(Folder install, WorkMeter? meter, CancellationToken cancel)
{
    private const long SpanLength = 64L << 20;

    /// <summary>A shorter run of zeros at the end of a bad piece says nothing.</summary>
    private const long ZerosWorthTelling = 512;

    /// <summary>Reads every file and answers in the same order.</summary>
    public IReadOnlyList<ContentAnswer> Read(IReadOnlyList<ToRead> files)
    {
        var answers = files.Select(f => new ContentAnswer(f)).ToList();
        var spans = answers.SelectMany(SpansOf);
        var parallel = new ParallelOptions { MaxDegreeOfParallelism = Environment.ProcessorCount, CancellationToken = cancel };
        using var hashers = new ThreadLocal<PieceHasher>(() => new PieceHasher(), trackAllValues: true);
        try
        {
            Parallel.ForEach(Partitioner.Create(spans, EnumerablePartitionerOptions.NoBuffering), parallel, span => Read(span, hashers.Value!));
        }
        catch (AggregateException e) when (e.InnerExceptions.Any(i => i is OperationCanceledException))
        {
            throw new OperationCanceledException(cancel);
        }
        finally
        {
            foreach (var hasher in hashers.Values)
                hasher.Dispose();
        }

        return answers;
    }

    private static IEnumerable<Span> SpansOf(ContentAnswer answer)
    {
        var file = answer.Asked.File;
        var proof = file.Proof;
        var step = file.AlsoProve is null ? (int)Math.Clamp(SpanLength / proof.PieceLength, 1, int.MaxValue) : int.MaxValue;
        for (var first = 0; first < file.PieceCount; first += step)
        {
            yield return new Span(answer, first, (int)Math.Min((long)first + step, file.PieceCount));
            if (step == int.MaxValue)
                yield break;
        }
    }

    private void Read(Span span, PieceHasher hasher)
    {
        var (answer, file) = (span.Answer, span.Answer.Asked.File);
        if (answer.Failure is not null)
            return;
        try
        {
            using var handle = install.OpenRead(answer.Asked.Path);
            var proof = file.Proof;
            for (var piece = span.First; piece < span.End; piece++)
            {
                var offset = piece * proof.PieceLength;
                var length = Math.Min(proof.PieceLength, file.Size - offset);
                if (!Proves(handle, hasher, file, piece, answer))
                    answer.Add(new BadPiece(piece, offset, length, ZerosAtEnd(handle, hasher, offset, length, answer.Asked.Found.Size)));
            }

            if (file.AlsoProve is { } whole && answer.Bad.Count == 0 && !hasher.Proves(handle, 0, file.Size, whole.Kind, whole.Digest, null, cancel))
                answer.AddAll(file);
        }
        catch (DiskException e)
        {
            answer.Failure = e.Reason;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            answer.Failure = e.Message;
        }
    }

    /// <summary>As the hasher, but a piece that the disk fails to read is told with its bytes.</summary>
    private bool Proves(SafeFileHandle handle, PieceHasher hasher, ManifestFile file, int piece, ContentAnswer answer)
    {
        var (proof, offset) = (file.Proof, piece * file.Proof.PieceLength);
        var length = Math.Min(proof.PieceLength, file.Size - offset);
        try
        {
            return hasher.Proves(handle, offset, length, proof.Kind, proof[piece], meter, cancel);
        }
        catch (IOException e)
        {
            answer.Failure ??= string.Create(System.Globalization.CultureInfo.InvariantCulture, $"{Folder.Failure("read", file.Path, e.HResult).Reason} in bytes {offset:N0} to {offset + length - 1:N0}");
            return true;
        }
    }

    private long ZerosAtEnd(SafeFileHandle handle, PieceHasher hasher, long offset, long length, long sizeFound)
    {
        var there = Math.Clamp(sizeFound - offset, 0, length);
        var zeros = there == 0 ? 0 : hasher.TrailingZeros(handle, offset, there, cancel);
        return zeros >= Math.Min(ZerosWorthTelling, there) ? zeros : 0;
    }

    private readonly record struct Span(ContentAnswer Answer, int First, int End);
}

/// <summary>A piece whose hash is wrong.</summary>
internal readonly record struct BadPiece(int Piece, long Offset, long Length, long ZerosAtEnd);

/// <summary>What reading one file has shown.</summary>
internal sealed class ContentAnswer(ToRead asked)
{
    private readonly List<BadPiece> bad = [];
    private volatile string? failure;

    public ToRead Asked { get; } = asked;

    public IReadOnlyList<BadPiece> Bad => bad;

    /// <summary>Why the file could not be read; null where it could.</summary>
    public string? Failure
    {
        get => failure;
        set => failure = value;
    }

    public void Add(BadPiece piece)
    {
        lock (bad)
            bad.Add(piece);
    }

    public void AddAll(ManifestFile file)
    {
        var proof = file.Proof;
        for (var piece = 0; piece < file.PieceCount; piece++)
            Add(new BadPiece(piece, piece * proof.PieceLength, Math.Min(proof.PieceLength, file.Size - piece * proof.PieceLength), 0));
    }

    /// <summary>Bad pieces that touch, joined. Zeros are told from where they run on to the end of the joined range.</summary>
    public IReadOnlyList<BadRange> Ranges()
    {
        bad.Sort((a, b) => a.Piece.CompareTo(b.Piece));
        var ranges = new List<BadRange>();
        foreach (var piece in bad)
        {
            long? zeros = piece.ZerosAtEnd == 0 ? null : piece.Offset + piece.Length - piece.ZerosAtEnd;
            if (ranges is [.., var last] && last.LastPiece + 1 == piece.Piece)
            {
                var runsOn = zeros == piece.Offset && last.ZerosFrom is not null;
                ranges[^1] = last with { LastPiece = piece.Piece, Length = last.Length + piece.Length, ZerosFrom = runsOn ? last.ZerosFrom : zeros };
            }
            else
            {
                ranges.Add(new BadRange(piece.Piece, piece.Piece, piece.Offset, piece.Length, zeros));
            }
        }

        return ranges;
    }
}
