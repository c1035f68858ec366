using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Cli;

/// <summary>Writes files that a user has asked for.</summary>
internal static class OutputFile
{
    /// <summary>Writes a new file; in a user's folder with that user's rights, since a link there may lead anywhere.</summary>
    /// <exception cref="MuktaException">There is one, or it cannot be written.</exception>
    public static void Write(string file, ReadOnlySpan<byte> content)
    {
        var folder = Path.GetDirectoryName(Path.GetFullPath(file))!;
        var (user, group) = StatePlace.OwnerOf(folder);
        using var rights = user == 0 ? null : FileSystemIdentity.Of(user, group);
        try
        {
            Directory.CreateDirectory(folder);
            using var stream = new FileStream(file, FileMode.CreateNew, FileAccess.Write);
            stream.Write(content);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            throw new MuktaException(
                ExitCode.Blocked, File.Exists(file) ? "There is a file of this name already." : "The file cannot be written.",
                PathBytes.Shown(file), "Name another one, in a folder that you may write to.", e);
        }
    }
}
