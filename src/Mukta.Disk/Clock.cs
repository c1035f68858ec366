using System.Runtime.InteropServices;

namespace Mukta.Disk;

/// <summary>What the kernel knows of its clock.</summary>
public static partial class Clock
{
    private const int TimexSize = 208, StatusAt = 40, Unsynchronised = 0x40, ClockError = 5; // STA_UNSYNC and TIME_ERROR of adjtimex(2).

    /// <summary>True if a time service keeps it right; null if the kernel does not say.</summary>
    public static bool? IsSynchronised
    {
        get
        {
            var timex = new byte[TimexSize]; // With no mode set it only reads.
            var state = Adjust(timex);
            return state < 0 ? null : state != ClockError && (BitConverter.ToInt32(timex, StatusAt) & Unsynchronised) == 0;
        }
    }

    [LibraryImport("libc", EntryPoint = "adjtimex")]
    private static partial int Adjust([In, Out] byte[] timex);
}
