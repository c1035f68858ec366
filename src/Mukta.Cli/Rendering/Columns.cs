using Mukta.Disk;

namespace Mukta.Cli.Rendering;

/// <summary>How wide a column of paths is.</summary>
internal static class Columns
{
    private const int Widest = 40;

    /// <summary>As wide as the longest path; a very long one runs over instead of pushing all others away.</summary>
    public static int Width(IEnumerable<string> paths) =>
        Math.Min(Widest, paths.Select(p => PathBytes.Shown(p).Length).DefaultIfEmpty(0).Max());
}
