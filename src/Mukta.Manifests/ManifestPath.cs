using System.Text;

namespace Mukta.Manifests;

/// <summary>What a path in a manifest must be before anything is done with it (RFC 5854, 4.1.2.1, and stricter).</summary>
public static class ManifestPath
{
    /// <summary>The folder below an install where Mukta stages and holds files. No manifest may name it.</summary>
    public const string OwnFolder = Disk.OwnFolder.Name;

    /// <summary>The longest path, in bytes of UTF-8.</summary>
    public const int LongestPath = 4000;

    /// <summary>The most segments between slashes.</summary>
    public const int MostSegments = 128;

    private const int LongestSegment = 255;

    /// <summary>Why a path is refused, as the end of the sentence "the name ...". Null for a good one.</summary>
    public static string? Fault(string path)
    {
        if (path.Length == 0)
            return "is empty";
        if (path[0] == '/')
            return "is an absolute path";
        if (path.Contains('\\', StringComparison.Ordinal))
            return "contains a backslash";
        if (HasControl(path))
            return "contains a control character";
        if (!IsWellFormed(path))
            return "is not valid Unicode";
        if (Encoding.UTF8.GetByteCount(path) > LongestPath)
            return $"is longer than {LongestPath} bytes";
        if (path.AsSpan().Count('/') >= MostSegments)
            return $"has more than {MostSegments} segments";
        var first = path.IndexOf('/', StringComparison.Ordinal);
        if (path.AsSpan(0, first < 0 ? path.Length : first).Equals(OwnFolder, StringComparison.OrdinalIgnoreCase))
            return $"lies in {OwnFolder}, which is Mukta's own folder";
        foreach (var segment in path.AsSpan().Split('/'))
        {
            if (SegmentFault(path.AsSpan(segment)) is { } fault)
                return fault;
        }

        return null;
    }

    internal static bool HasControl(ReadOnlySpan<char> text) =>
        text.ContainsAnyInRange('\0', '\u001F') || text.ContainsAnyInRange('\u007F', '\u009F');

    /// <summary>The folders that a path goes through, outermost first: "a" and "a/b" for "a/b/c".</summary>
    public static IEnumerable<string> Folders(string path)
    {
        for (var slash = path.IndexOf('/'); slash >= 0; slash = path.IndexOf('/', slash + 1))
            yield return path[..slash];
    }

    /// <summary>
    /// Why a link's target is refused, as the end of the sentence "the link target ...": a link must stay in the install.
    /// Null for a good one.
    /// </summary>
    public static string? TargetFault(string linkPath, string target)
    {
        if (target.Length == 0)
            return "is empty";
        if (target[0] == '/')
            return "is an absolute path";
        if (target.Contains('\\', StringComparison.Ordinal) || HasControl(target) || !IsWellFormed(target))
            return "contains a character that is not allowed";
        if (Encoding.UTF8.GetByteCount(target) > LongestPath)
            return $"is longer than {LongestPath} bytes";
        var depth = linkPath.Count(c => c == '/');
        foreach (var segment in target.Split('/'))
        {
            depth += segment switch { ".." => -1, "." or "" => 0, _ => 1 };
            if (depth < 0)
                return "leads out of the install";
        }

        return null;
    }

    private static bool IsWellFormed(string text)
    {
        if (!text.AsSpan().ContainsAnyInRange('\uD800', '\uDFFF'))
            return true;
        for (var i = 0; i < text.Length; i++)
        {
            if (char.IsSurrogate(text[i]) && !(char.IsHighSurrogate(text[i]) && i + 1 < text.Length && char.IsLowSurrogate(text[++i])))
                return false;
        }

        return true;
    }

    private static string? SegmentFault(ReadOnlySpan<char> segment) => segment switch
    {
        "" => "has an empty segment",
        "." or ".." => $"has a segment \"{segment}\"",
        _ when Encoding.UTF8.GetByteCount(segment) > LongestSegment => $"has a segment longer than {LongestSegment} bytes",
        _ => null,
    };
}
