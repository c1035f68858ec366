using System.Globalization;
using Microsoft.Win32.SafeHandles;
using Mukta.Disk;
using Mukta.Hashing;

namespace Mukta.Verification;

/// <summary>A piece whose hash is wrong.</summary>
internal readonly record struct BadPiece(int Piece, long Offset, long Length, long ZerosAtEnd);

/// <summary>A file that is read, and what that has shown. Its ranges are its pieces, and where they are weak the whole of it too.</summary>
internal sealed class ContentAnswer(ToRead asked, Folder install) : HashedFile
{
    /// <summary>A shorter run of zeros at the end of a bad piece says nothing.</summary>
    private const long ZerosWorthTelling = 512;

    private readonly PieceList proof = asked.File.Proof;
    private List<BadPiece>? bad;
    private string? failure;
    private int failedAt = int.MaxValue;
    private bool isWholeBad;

    public ToRead Asked { get; } = asked;

    /// <summary>The bad pieces; all of them where only the whole shows that there are some.</summary>
    public IReadOnlyList<BadPiece> Bad =>
        bad ?? (IReadOnlyList<BadPiece>)(isWholeBad ? [.. Enumerable.Range(0, Asked.File.PieceCount).Select(i => Piece(i, 0))] : []);

    /// <summary>Why the file could not be read; null if it could.</summary>
    public string? Failure => failure;

    public override int Count => Asked.File.PieceCount + (Asked.File.AlsoProve is null ? 0 : 1);

    public override (ulong Device, ulong Inode) Place => (Asked.Found.Device, Asked.Found.Inode);

    public override HashRange this[int index] => IsWhole(index)
        ? new HashRange(0, Asked.File.Size, Asked.File.AlsoProve!.Kind)
        : proof.RangeOf(index, Asked.File.Size);

    protected override SafeFileHandle Open() => install.OpenRead(Asked.Path);

    protected override void Done(int index, in Hashed hashed)
    {
        if (IsWhole(index))
        {
            isWholeBad = !hashed.Digest.SequenceEqual(Asked.File.AlsoProve!.Digest);
        }
        else if (!hashed.Digest.SequenceEqual(proof[index]))
        {
            lock (this)
                (bad ??= []).Add(Piece(index, hashed.ZerosAtEnd));
        }
    }

    protected override void Failed(int index, Exception reason)
    {
        var (offset, length, _) = this[index];
        var text = reason is DiskException disk ? disk.Reason
            : reason is IOException ? string.Create(
            CultureInfo.InvariantCulture,
            $"{Folder.Failure("read", Asked.Path, reason.HResult).Reason} in bytes {offset:N0} to {offset + length - 1:N0}")
            : reason.Message;
        lock (this)
        {
            if (index < failedAt)
                (failedAt, failure) = (index, text);
        }
    }

    /// <summary>Bad pieces that touch, joined. Zeros are told from where they run on to the end of the joined range.</summary>
    public IReadOnlyList<BadRange> Ranges()
    {
        var ranges = new List<BadRange>();
        foreach (var piece in Bad.OrderBy(b => b.Piece))
        {
            long? zeros = piece.ZerosAtEnd == 0 ? null : piece.Offset + piece.Length - piece.ZerosAtEnd;
            if (ranges is [.., var last] && last.LastPiece + 1 == piece.Piece)
            {
                var runsOn = zeros == piece.Offset && last.ZerosFrom is not null;
                ranges[^1] = last with
                {
                    LastPiece = piece.Piece,
                    Length = last.Length + piece.Length,
                    ZerosFrom = runsOn ? last.ZerosFrom : zeros,
                };
            }
            else
            {
                ranges.Add(new BadRange(piece.Piece, piece.Piece, piece.Offset, piece.Length, zeros));
            }
        }

        return ranges;
    }

    private bool IsWhole(int index) => index == Asked.File.PieceCount;

    private BadPiece Piece(int index, long zerosAtEnd)
    {
        var (offset, length, _) = this[index];
        var there = Math.Clamp(Asked.Found.Size - offset, 0, length);
        return new BadPiece(index, offset, length, zerosAtEnd >= Math.Min(ZerosWorthTelling, there) ? zerosAtEnd : 0);
    }
}
