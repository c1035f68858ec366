using System.Buffers;
using System.Text;

namespace Mukta.Disk;

/// <summary>
/// File names between the kernel's bytes and text. Linux names are any bytes but NUL and '/'; a byte that is not
/// UTF-8 becomes the lone surrogate U+DC80 + byte, so that every name on disk can be carried, sorted and opened again.
/// </summary>
public static class PathBytes
{
    private const char EscapeBase = '\uDC00';

    private static readonly UTF8Encoding Strict = new(false, throwOnInvalidBytes: true);

    /// <summary>The text of a name as the kernel gave it.</summary>
    public static string Decode(ReadOnlySpan<byte> name)
    {
        if (Ascii.IsValid(name))
            return Encoding.ASCII.GetString(name); // As most are.
        StringBuilder? escaped = null;
        var rest = name;
        while (!rest.IsEmpty)
        {
            var status = Rune.DecodeFromUtf8(rest, out var rune, out var used);
            if (status == OperationStatus.Done)
            {
                escaped?.Append(rune.ToString());
            }
            else
            {
                escaped ??= new StringBuilder(Strict.GetString(name[..^rest.Length]));
                foreach (var b in rest[..used])
                    escaped.Append((char)(EscapeBase + b));
            }

            rest = rest[used..];
        }

        return escaped?.ToString() ?? Strict.GetString(name);
    }

    /// <summary>The bytes of a path, ended by NUL as the C library wants them.</summary>
    /// <exception cref="ArgumentException">The path contains NUL.</exception>
    public static byte[] Encode(ReadOnlySpan<char> path)
    {
        if (path.Contains('\0'))
            throw new ArgumentException("A path cannot contain NUL.", nameof(path));
        var ascii = new byte[path.Length + 1];
        if (Ascii.FromUtf16(path, ascii, out _) == OperationStatus.Done)
            return ascii; // As most are.
        var bytes = new ArrayBufferWriter<byte>(path.Length + 8);
        for (var i = 0; i < path.Length; i++)
        {
            var c = path[i];
            if (c is >= '\uDC80' and <= '\uDCFF')
            {
                bytes.Write([(byte)(c - EscapeBase)]);
                continue;
            }

            var run = i;
            while (run < path.Length && path[run] is not (>= '\uDC80' and <= '\uDCFF'))
                run += char.IsHighSurrogate(path[run]) && run + 1 < path.Length ? 2 : 1;
            Encoding.UTF8.GetBytes(path[i..run], bytes);
            i = run - 1;
        }

        bytes.Write([(byte)0]);
        return bytes.WrittenSpan.ToArray();
    }

    /// <summary>
    /// A path that is safe to show: bytes that are not text and characters that a terminal would obey are written as
    /// <c>\xNN</c>, so that a hostile name can neither hide nor move the cursor.
    /// </summary>
    public static string Shown(string path)
    {
        if (!path.AsSpan().ContainsAnyInRange('\0', '\u001F') && !path.Any(IsUnsafeToShow))
            return path;
        var shown = new StringBuilder(path.Length + 8);
        foreach (var c in path)
        {
            if (c is >= '\uDC80' and <= '\uDCFF' && !(shown.Length > 0 && char.IsHighSurrogate(shown[^1])))
                shown.Append(System.Globalization.CultureInfo.InvariantCulture, $"\\x{c - EscapeBase:x2}");
            else if (IsUnsafeToShow(c) && !char.IsSurrogate(c))
                shown.Append(System.Globalization.CultureInfo.InvariantCulture, $"\\x{(int)c:x2}");
            else
                shown.Append(c);
        }

        return shown.ToString();
    }

    private static bool IsUnsafeToShow(char c) =>
        char.IsControl(c) || c is >= '\uDC80' and <= '\uDCFF' or >= '\u202A' and <= '\u202E' or >= '\u2066' and <= '\u2069';
}
