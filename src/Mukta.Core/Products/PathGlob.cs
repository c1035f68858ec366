using System.IO.Enumeration;

namespace Mukta.Products;

/// <summary>Patterns for paths inside an install: <c>*</c> and <c>?</c> stand for characters within one segment.</summary>
public static class PathGlob
{
    /// <summary>True where a path fits a pattern.</summary>
    public static bool Fits(string glob, string path)
    {
        var (patterns, segments) = (glob.Split('/'), path.Split('/'));
        return patterns.Length == segments.Length
            && patterns.Zip(segments).All(p => FileSystemName.MatchesSimpleExpression(p.First, p.Second, ignoreCase: false));
    }
}
