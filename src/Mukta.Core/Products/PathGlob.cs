using System.IO.Enumeration;

namespace Mukta.Products;

/// <summary>
/// Patterns for paths inside an install: <c>*</c> and <c>?</c> stand for characters within one segment, a segment <c>**</c> for any
/// number of segments. A pattern without any of them names a file, or a folder with everything in it.
/// </summary>
public static class PathGlob
{
    private const string AnyFolders = "**";

    /// <summary>True if a path fits a pattern.</summary>
    public static bool Fits(string glob, string path)
    {
        if (glob.IndexOfAny(['*', '?']) < 0)
            return path == glob || path.StartsWith(glob + "/", StringComparison.Ordinal);
        var segments = path.Split('/');
        var reached = new bool[segments.Length + 1]; // How many segments the patterns so far can stand for.
        reached[0] = true;
        foreach (var pattern in glob.Split('/'))
        {
            var next = new bool[reached.Length];
            for (var i = 0; i < reached.Length; i++)
            {
                next[i] = pattern == AnyFolders ? reached[i] || (i > 0 && next[i - 1])
                    : i > 0 && reached[i - 1] && FileSystemName.MatchesSimpleExpression(pattern, segments[i - 1], ignoreCase: false);
            }

            reached = next;
        }

        return reached[^1];
    }
}
