using System.Runtime.InteropServices;

namespace Mukta.Disk;

/// <summary>How many files this process may have open: RLIMIT_NOFILE in getrlimit(2), which many systems set to 1,024.</summary>
public static partial class OpenFileLimit
{
    private const int Files = 7; // RLIMIT_NOFILE, the same for all processors that Mukta runs on.
    private const long Usual = 1024;

    /// <summary>The limit as it is now.</summary>
    public static int Now => (int)Math.Min(Get(Files, out var limit) == 0 ? limit.Soft : Usual, int.MaxValue);

    /// <summary>Raises the limit, as far as this process may and no further, until what is returned is disposed of.</summary>
    /// <param name="wanted">How many files are to be open at a time.</param>
    public static IDisposable Raise(int wanted)
    {
        if (Get(Files, out var before) != 0 || before.Soft >= (ulong)wanted)
            return new Raised(null);
        var after = before with { Soft = Math.Min((ulong)wanted, before.Hard) };
        return new Raised(Set(Files, after) == 0 ? before : null);
    }

    [LibraryImport("libc", EntryPoint = "getrlimit")]
    private static partial int Get(int resource, out Limits limits);

    [LibraryImport("libc", EntryPoint = "setrlimit")]
    private static partial int Set(int resource, in Limits limits);

    [StructLayout(LayoutKind.Sequential)]
    private record struct Limits(ulong Soft, ulong Hard);

    private sealed class Raised(Limits? before) : IDisposable
    {
        public void Dispose()
        {
            if (before is { } limits)
                _ = Set(Files, limits);
        }
    }
}
