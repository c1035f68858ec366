using Mukta.Disk;
using Mukta.Host;
using Mukta.Operations;

namespace Mukta.Cases;

/// <summary>The end of a log.</summary>
/// <param name="Path">The file.</param>
/// <param name="Text">What is in its last part.</param>
public sealed record LogTail(string Path, string Text)
{
    /// <summary>So much of each is read, bytes.</summary>
    public const int Longest = 1 << 20;

    /// <summary>Reads the ends of logs, in a user's folder with that user's rights, since a link there may lead anywhere.</summary>
    public static IReadOnlyList<LogTail> Of(IEnumerable<string> paths) => [.. paths.Select(Read).Where(t => t.Text.Length > 0)];

    private static LogTail Read(string path)
    {
        var (user, group) = StatePlace.OwnerOf(System.IO.Path.GetDirectoryName(path)!);
        using var rights = user == 0 ? null : FileSystemIdentity.Of(user, group);
        return new LogTail(path, SmallText.End(path, Longest));
    }
}
