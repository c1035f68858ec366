using Mukta.Disk;

namespace Mukta.Cli.Rendering;

/// <summary>The widths of columns, and text in them.</summary>
internal static class Columns
{
    private const int Widest = 40;

    /// <summary>As wide as the longest path; a very long one runs over instead of pushing all others away.</summary>
    public static int Width(IEnumerable<string> paths) =>
        Math.Min(Widest, paths.Select(p => PathBytes.Shown(p).Length).DefaultIfEmpty(0).Max());

    /// <summary>Breaks a text into lines between its words.</summary>
    /// <param name="text">The text.</param>
    /// <param name="width">Columns of a line; a longer word gets a line of its own.</param>
    public static IEnumerable<string> Wrap(string text, int width)
    {
        var line = "";
        foreach (var word in text.Split(' '))
        {
            if (line.Length > 0 && line.Length + 1 + word.Length > width)
            {
                yield return line;
                line = word;
            }
            else
                line = line.Length == 0 ? word : $"{line} {word}";
        }

        yield return line;
    }
}
