using System.Text;
using Mukta.Disk;

namespace Mukta.Host.Shortcuts;

/// <summary>
/// A shortcut: a <c>.desktop</c> file (freedesktop Desktop Entry specification 1.5). Keeps every line that it is not told
/// to change, comments and other groups too.
/// </summary>
[OutsideReader]
public sealed class DesktopEntry
{
    /// <summary>A longer file is not read.</summary>
    public const long LongestFile = 1 << 20;

    private const string Group = "[Desktop Entry]";
    private readonly IReadOnlyList<string> lines;

    private DesktopEntry(IReadOnlyList<string> lines) => this.lines = lines;

    /// <summary>The file's text.</summary>
    public string Text => string.Join('\n', lines) + "\n";

    /// <summary>What it starts: the key <c>Exec</c>; null if there is none that can be read.</summary>
    public ExecLine? Exec => Get("Exec") is { } exec ? ExecLine.Parse(exec) : null;

    /// <summary>A new entry with the least that the specification asks for.</summary>
    public static DesktopEntry New(string name) => new([Group, "Type=Application", $"Name={Escaped(name)}"]);

    /// <summary>Reads an entry.</summary>
    /// <param name="text">The file's text.</param>
    /// <param name="fault">Why it is none, as the end of the sentence "it ..."; null for a good one.</param>
    public static DesktopEntry? Parse(string text, out string? fault)
    {
        var lines = text.TrimEnd('\n').Split('\n').Select(l => l.TrimEnd('\r')).ToList();
        var first = lines.Find(l => l.Trim().Length > 0 && !l.StartsWith('#'));
        fault = text.Contains('\0', StringComparison.Ordinal) ? "contains NUL"
            : first?.Trim() != Group ? $"does not begin with the group {Group}" : null;
        return fault is null ? new DesktopEntry(lines) : null;
    }

    /// <summary>Reads an entry from a file of at most <see cref="LongestFile"/> bytes.</summary>
    public static DesktopEntry? ReadFile(string path, out string? fault)
    {
        try
        {
            using var stream = InputFile.Open(path, InputFile.AnyLength);
            if (stream.Length <= LongestFile)
                return Parse(new StreamReader(stream, Encoding.UTF8).ReadToEnd(), out fault);
            fault = $"is larger than {LongestFile >> 20} MiB";
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            fault = e is UnauthorizedAccessException or DiskException { Errno: DiskException.AccessDenied } ? "may not be read"
                : "cannot be read";
        }

        return null;
    }

    /// <summary>The value of a key in the main group, unescaped; null if it is not there.</summary>
    public string? Get(string key) =>
        At(key) is var at and >= 0 ? Unescaped(lines[at][(lines[at].IndexOf('=', StringComparison.Ordinal) + 1)..].Trim()) : null;

    /// <summary>The entry with another value of a key; without the key for null. Everything else stays as it is.</summary>
    public DesktopEntry With(string key, string? value)
    {
        var changed = lines.ToList();
        var at = At(key);
        if (value is null)
        {
            if (at >= 0)
                changed.RemoveAt(at);
        }
        else if (at >= 0)
        {
            changed[at] = $"{key}={Escaped(value)}";
        }
        else
        {
            changed.Insert(EndOfGroup(), $"{key}={Escaped(value)}");
        }

        return new DesktopEntry(changed);
    }

    private int At(string key)
    {
        for (var i = Start() + 1; i < lines.Count && !lines[i].StartsWith('['); i++)
        {
            if (lines[i].IndexOf('=', StringComparison.Ordinal) is var equals and > 0
                && lines[i].AsSpan(0, equals).Trim().SequenceEqual(key))
                return i;
        }

        return -1;
    }

    private int Start() => lines.TakeWhile(l => l.Trim() != Group).Count();

    private int EndOfGroup()
    {
        var end = Start() + 1;
        while (end < lines.Count && !lines[end].StartsWith('['))
            end++;
        while (lines[end - 1].Trim().Length == 0)
            end--;
        return end;
    }

    private static string Unescaped(string value)
    {
        var text = new StringBuilder(value.Length);
        for (var i = 0; i < value.Length; i++)
        {
            if (value[i] != '\\' || i + 1 == value.Length)
                text.Append(value[i]);
            else
            {
                text.Append(
                    value[++i] switch { 's' => " ", 'n' => "\n", 't' => "\t", 'r' => "\r", '\\' => "\\", var other => $"\\{other}" });
            }
        }

        return text.ToString();
    }

    /// <summary>A value as the file has it: one line, whose first space is not taken for the one before it.</summary>
    private static string Escaped(string value) => value.StartsWith(' ') ? "\\s" + Escaped(value[1..])
        : value.Replace("\\", "\\\\", StringComparison.Ordinal).Replace("\n", "\\n", StringComparison.Ordinal)
        .Replace("\t", "\\t", StringComparison.Ordinal).Replace("\r", "\\r", StringComparison.Ordinal);
}
