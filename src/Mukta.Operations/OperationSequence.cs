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
            return home is null ? After(highest) : Counted(home, highest);
        }
        catch (Exception e) when (e is MuktaException or IOException or UnauthorizedAccessException)
        {
            return After(highest); // The numbers in one place are in order without it.
        }
    }

    private static long Counted(OperationHome home, long highest)
    {
        using var file = StatePlace.Open(home.State, FileName);
        if (!FileLock.TryTake(file.Handle))
            return After(highest);
        var bytes = new byte[Longest];
        var text = Encoding.ASCII.GetString(bytes, 0, RandomAccess.Read(file.Handle, bytes, 0)).Trim();
        if (long.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var counted))
            highest = Math.Max(highest, counted);
        var next = After(highest);
        file.Write(Encoding.ASCII.GetBytes(next.ToString(CultureInfo.InvariantCulture).PadRight(Longest)), 0);
        return next;
    }

    /// <summary>A made-up journal may have the highest number: all that follow share it, and the clock tells them apart.</summary>
    private static long After(long highest) => highest == long.MaxValue ? highest : highest + 1;
}
