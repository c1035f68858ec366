namespace Mukta.Operations;

/// <summary>The lines of a journal, one after the other. No more than one is in memory, and none may be endless.</summary>
/// <param name="bytes">The journal.</param>
internal sealed class JournalLines(Stream bytes)
{
    /// <summary>A longer line is none of mukta's: 64 MiB.</summary>
    private const int LongestLine = 64 << 20;

    private byte[] buffer = new byte[64 << 10];
    private int start, end, after;

    /// <summary>The line, without its end.</summary>
    public ReadOnlySpan<byte> Line => buffer.AsSpan(start, after - 1 - start);

    /// <summary>How many bytes of the journal this and all lines before it have.</summary>
    public long Read { get; private set; }

    /// <summary>True if nothing follows.</summary>
    public bool IsLast => Read == bytes.Length;

    /// <summary>True if what follows is too long for a line.</summary>
    public bool IsTooLong { get; private set; }

    /// <summary>Goes on to the next line. False if there is none that is whole.</summary>
    public bool Next()
    {
        start = after;
        for (var seen = start; ;)
        {
            if (buffer.AsSpan(seen, end - seen).IndexOf((byte)'\n') is var found and >= 0)
            {
                after = seen + found + 1;
                Read += after - start;
                return true;
            }

            seen = end - start;
            MakeRoom();
            if (IsTooLong)
                return false;
            var got = bytes.Read(buffer.AsSpan(end));
            if (got == 0)
                return false;
            end += got;
        }
    }

    private void MakeRoom()
    {
        if (start > 0)
        {
            buffer.AsSpan(start, end - start).CopyTo(buffer);
            (start, end, after) = (0, end - start, 0);
        }

        if (end < buffer.Length)
            return;
        IsTooLong = end >= LongestLine;
        if (!IsTooLong)
            Array.Resize(ref buffer, buffer.Length * 2);
    }
}
