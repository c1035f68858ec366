using System.Text;
using Mukta.Disk;

namespace Mukta.Host;

/// <summary>Reads the beginning or the end of text files.</summary>
[OutsideReader]
internal static class SmallText
{
    private const int Longest = 1 << 16;

    /// <summary>At most the first 64 KiB of a text; nothing for a file that is not text or cannot be read.</summary>
    public static string Read(string path)
    {
        try
        {
            using var file = InputFile.Open(path, InputFile.AnyLength);
            var bytes = new byte[Math.Min(file.Length, Longest)];
            file.ReadExactly(bytes);
            return bytes.Contains((byte)0) ? "" : Encoding.UTF8.GetString(bytes);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return "";
        }
    }

    /// <summary>The end of a text, whatever is in it; nothing for a file that cannot be read.</summary>
    /// <param name="path">The file.</param>
    /// <param name="most">At most so many bytes.</param>
    public static string End(string path, int most)
    {
        try
        {
            using var file = InputFile.Open(path, InputFile.AnyLength);
            var bytes = new byte[Math.Min(file.Length, most)];
            file.Seek(-bytes.Length, SeekOrigin.End);
            file.ReadExactly(bytes);
            return Encoding.UTF8.GetString(bytes);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return "";
        }
    }
}
