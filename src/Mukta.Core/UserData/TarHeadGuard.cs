namespace Mukta.UserData;

/// <summary>
/// What an archive is read through: refuses an entry's description that says it is longer than any real one, before memory is asked for it.
/// </summary>
internal sealed class TarHeadGuard(Stream inner) : Stream
{
    private const int BlockLength = 512, LengthAt = 124, LengthDigits = 12, KindAt = 156;
    private const long Longest = 1 << 20;

    public override bool CanRead => true;

    public override bool CanSeek => inner.CanSeek;

    public override bool CanWrite => false;

    public override long Length => inner.Length;

    public override long Position { get => inner.Position; set => inner.Position = value; }

    public override int Read(Span<byte> buffer)
    {
        var got = inner.Read(buffer);
        if (got == BlockLength && buffer.Length == BlockLength && buffer[KindAt] is (byte)'x' or (byte)'g' or (byte)'L' or (byte)'K'
            && LengthIn(buffer.Slice(LengthAt, LengthDigits)) > Longest)
            throw new InvalidDataException("The description of an entry is too long.");
        return got;
    }

    public override int Read(byte[] buffer, int offset, int count) => Read(buffer.AsSpan(offset, count));

    public override long Seek(long offset, SeekOrigin origin) => inner.Seek(offset, origin);

    public override void Flush()
    {
    }

    public override void SetLength(long value) => throw new NotSupportedException();

    public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();

    /// <summary>A length in octal digits; more than any where it is in another notation.</summary>
    private static long LengthIn(ReadOnlySpan<byte> field)
    {
        var length = 0L;
        foreach (var digit in field)
        {
            if (digit is >= (byte)'0' and <= (byte)'7')
                length = (length * 8) + digit - '0';
            else if (digit is not ((byte)' ' or 0))
                return long.MaxValue;
        }

        return length;
    }
}
