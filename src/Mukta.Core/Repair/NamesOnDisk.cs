using System.Globalization;
using System.Text;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Repair;

/// <summary>Names of a release that the file system of an install cannot hold, or takes for one and the same.</summary>
public static class NamesOnDisk
{
    /// <summary>So many pairs of names are tried out at most.</summary>
    private const int MostTried = 100;

    /// <summary>Refuses names that the disk cannot hold beside each other. It is tried out only where two names look alike.</summary>
    /// <param name="manifest">The release.</param>
    /// <param name="made">The paths that are going to be made.</param>
    /// <param name="can">What the file system can do.</param>
    /// <param name="areOne">Tries out whether the disk takes two names for one.</param>
    /// <param name="place">The install.</param>
    /// <exception cref="MuktaException">It cannot hold them.</exception>
    public static void Refuse(
        Manifest manifest, IEnumerable<string> made, FileSystemCapabilities can, Func<string, string, bool> areOne, string place)
    {
        List<string> paths = [.. made];
        if (can.Forbidden.Length > 0 && paths.Find(p => p.Split('/').Any(s => !can.Holds(s))) is { } foreign)
            throw Cannot($"This disk's file system cannot hold the name {PathBytes.Shown(foreign)}.", place);
        foreach (var (one, other) in Twins(manifest, paths).Take(MostTried))
        {
            var (a, b) = Differing(one, other);
            if (areOne(a, b))
            {
                var isByCase = string.Equals(a, b, StringComparison.OrdinalIgnoreCase);
                var how = isByCase ? "by letter case" : "by how their characters are composed";
                throw Cannot(
                    $"The names {PathBytes.Shown(one)} and {PathBytes.Shown(other)} differ only {how}, and this disk's file system takes "
                    + "them for one.", place);
            }
        }
    }

    /// <summary>Tries out whether a folder takes two names for one, and leaves nothing behind.</summary>
    /// <param name="install">The install.</param>
    /// <param name="folder">A folder in it that this may write to.</param>
    /// <param name="one">A name.</param>
    /// <param name="other">The other.</param>
    public static bool AreOne(Folder install, string folder, string one, string other)
    {
        var made = $"{folder}/{one}";
        if (install.Look(made) is null)
            install.CreateFile(made, 0b110_000_000).Dispose();
        var isOne = install.Look($"{folder}/{other}") is not null;
        install.RemoveFile(made);
        return isOne;
    }

    /// <summary>
    /// Listed names that may be one on some disks, of which one is going to be made: the letters are the same but for their case, or one of
    /// them writes a letter and its accent apart.
    /// </summary>
    private static IEnumerable<(string One, string Other)> Twins(Manifest manifest, List<string> made)
    {
        var listed = manifest.Files.Select(f => f.Path).Concat(manifest.Links.Select(l => l.Path));
        var alike = Alike(listed);
        if (alike.Count == 0)
            yield break;
        var wanted = made.Select(Folded).Where(alike.Contains).ToHashSet(StringComparer.OrdinalIgnoreCase);
        var seen = new Dictionary<string, List<string>>(StringComparer.OrdinalIgnoreCase);
        foreach (var path in listed)
        {
            var folded = Folded(path);
            if (!wanted.Contains(folded))
                continue;
            if (!seen.TryGetValue(folded, out var before))
                seen.Add(folded, before = []);
            foreach (var other in before.Where(o => string.Equals(o, path, StringComparison.OrdinalIgnoreCase)
                || o.Any(IsMark) != path.Any(IsMark)))
                yield return (other, path);
            before.Add(path);
        }
    }

    /// <summary>What two or more paths come to if letter case and the way to write an accent do not count; mostly nothing.</summary>
    private static HashSet<string> Alike(IEnumerable<string> paths)
    {
        var seen = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        var alike = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        foreach (var folded in paths.Select(Folded).Where(f => !seen.Add(f)))
            alike.Add(folded);
        return alike;
    }

    /// <summary>
    /// A path with one sign for a letter that has an accent, however it is written. Letter case is left to whoever compares.
    /// </summary>
    private static string Folded(string path)
    {
        if (Ascii.IsValid(path))
            return path;
        var text = new StringBuilder(path.Length);
        foreach (var letter in path)
        {
            if (IsMark(letter) && text.Length > 0)
                text[^1] = '\u00a4';
            else
                text.Append(char.IsAscii(letter) ? letter : '\u00a4');
        }

        return text.ToString();
    }

    private static bool IsMark(char letter) => char.GetUnicodeCategory(letter) == UnicodeCategory.NonSpacingMark;

    /// <summary>The first parts of two paths that differ.</summary>
    private static (string One, string Other) Differing(string one, string other)
    {
        var (parts, others) = (one.Split('/'), other.Split('/'));
        for (var i = 0; i < Math.Min(parts.Length, others.Length); i++)
        {
            if (parts[i] != others[i])
                return (parts[i], others[i]);
        }

        return (parts[^1], others[^1]);
    }

    private static MuktaException Cannot(string why, string place) =>
        new(ExitCode.Blocked, why, PathBytes.Shown(place), "Nothing was touched. Put the install on a disk with another file system.");
}
