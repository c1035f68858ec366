using System.Text;

namespace Mukta.Manifests.Formats;

/// <summary>The lines of a text from outside: UTF-8, each of bounded length, with LF or CR LF at their ends.</summary>
public sealed class BoundedLines(Stream stream, string source)
{
    private const int Longest = 32 * 1024;

    private static readonly UTF8Encoding Utf8 = new(false, throwOnInvalidBytes: true);

    private readonly byte[] buffer = new byte[1 << 16];
    private readonly byte[] line = new byte[Longest];
    private int at, end;

    /// <summary>The number of the line that was read last, from 1.</summary>
    public int Number { get; private set; }

    /// <summary>A fault in the line that was read last.</summary>
    public ManifestFault Fault(string what, Exception? inner = null) => new(what, source, Math.Max(Number, 1), 1, inner);

    /// <summary>The next line without its end; null behind the last one.</summary>
    /// <exception cref="ManifestFault">It is too long, or is not UTF-8.</exception>
    public string? Next()
    {
        var length = 0;
        var isLast = true;
        while (Byte() is { } next)
        {
            isLast = false;
            if (next == (byte)'\n')
                break;
            if (length == Longest)
            {
                Number++;
                throw Fault($"The line is longer than {Longest} bytes.");
            }

            line[length++] = next;
        }

        if (isLast)
            return null;
        Number++;
        var text = line.AsSpan(0, length);
        if (Number == 1 && text.StartsWith(Encoding.UTF8.Preamble))
            text = text[3..];
        try
        {
            return Utf8.GetString(text is [.., (byte)'\r'] ? text[..^1] : text);
        }
        catch (DecoderFallbackException e)
        {
            throw Fault("The line is not UTF-8.", e);
        }
    }

    private byte? Byte()
    {
        if (at == end)
        {
            (at, end) = (0, stream.Read(buffer));
            if (end == 0)
                return null;
        }

        return buffer[at++];
    }
}
