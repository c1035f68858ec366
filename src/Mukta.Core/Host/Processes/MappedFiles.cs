using Mukta.Disk;

namespace Mukta.Host.Processes;

/// <summary>
/// Finds the files below some folders that processes have mapped (proc_pid_maps(5)). A busy machine has a hundred thousand such lines, most
/// of them about other files: they are searched as bytes, in memory that is used again for each process.
/// </summary>
/// <param name="below">The real paths of the folders, each ended by a slash.</param>
internal sealed class MappedFiles(IReadOnlyList<string> below)
{
    private readonly List<byte[]> starts = [.. below.Select(b => PathBytes.Encode(" " + b)[..^1])];
    private byte[] buffer = new byte[64 * 1024];

    /// <summary>The files of one process, once for each of their mappings; none where only root may look, or if it has ended.</summary>
    /// <param name="folder">The process's folder.</param>
    public List<string> Of(string folder)
    {
        var found = new List<string>();
        if (starts.Count == 0)
            return found;
        try
        {
            var maps = Read(folder);
            foreach (var start in starts)
            {
                var rest = maps;
                for (var at = rest.IndexOf(start); at >= 0; at = rest.IndexOf(start))
                {
                    // A path is the last in its line, and the only part with a slash.
                    var isWhole = !rest[(rest[..at].LastIndexOf((byte)'\n') + 1)..at].Contains((byte)'/');
                    rest = rest[(at + 1)..];
                    var end = rest.IndexOf((byte)'\n');
                    if (isWhole)
                        found.Add(PathBytes.Decode(end < 0 ? rest : rest[..end]));
                }
            }
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            // It has ended, or only root may look.
        }

        return found;
    }

    private ReadOnlySpan<byte> Read(string folder)
    {
        using var file = File.OpenHandle(Path.Join(folder, "maps"));
        var length = 0;
        for (var got = -1; got != 0; length += got)
        {
            if (length == buffer.Length)
                Array.Resize(ref buffer, 2 * length);
            got = RandomAccess.Read(file, buffer.AsSpan(length), length);
        }

        return buffer.AsSpan(0, length);
    }
}
