using System.Globalization;
using System.Text;
using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Numbers operations, so that which one was the last does not depend on the time of day: <c>mukta/sequence</c> in the user's folder for
/// state holds the highest number given out.
/// </summary>
public static class OperationSequence
{
    private const string FileName = "sequence";
    private const int Longest = 20;

    /// <summary>A number that is higher than all before.</summary>
    /// <param name="home">The machine; null if nothing is remembered of it.</param>
    /// <param name="known">Operations that are known in the same place.</param>
    public static long Next(OperationHome? home, IEnumerable<OperationRecord> known)
    {
        var highest = known.Select(r => r.Header.Sequence).DefaultIfEmpty(0).Max();
        try
        {
            return home is null ? highest + 1 : Counted(home, highest);
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return highest + 1; // The numbers in one place are in order without it.
        }
    }

    private static long Counted(OperationHome home, long highest)
    {
        using var file = StatePlace.Open(home.State, FileName);
        if (!FileLock.TryTake(file.Handle))
            return highest + 1;
        var bytes = new byte[Longest];
        var text = Encoding.ASCII.GetString(bytes, 0, RandomAccess.Read(file.Handle, bytes, 0)).Trim();
        if (long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var counted))
            highest = Math.Max(highest, counted);
        file.Write(Encoding.ASCII.GetBytes((highest + 1).ToString(CultureInfo.InvariantCulture).PadRight(Longest)), 0);
        return highest + 1;
    }
}
