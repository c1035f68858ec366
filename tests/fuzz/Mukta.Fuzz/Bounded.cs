using System.Diagnostics;

namespace Mukta.Fuzz;

/// <summary>A reader that must end in one of its own failures, within 2 s, in bounded memory, and touch no file.</summary>
internal sealed class Bounded(Reader reader, InputFolder folder)
{
    private const long MostMemory = 256L << 20;

    private static readonly TimeSpan Longest = TimeSpan.FromSeconds(2);

    public void Read(byte[] input)
    {
        var before = GC.GetTotalAllocatedBytes();
        var took = Timed(input);
        if (GC.GetTotalAllocatedBytes() - before > MostMemory)
            throw new InvalidOperationException("The reader has asked for more than 256 MiB.");
        if (took > Longest && Timed(input) > Longest) // Once it may have been the machine.
            throw new InvalidOperationException("The reader has taken more than 2 s.");
        if (Directory.GetFileSystemEntries(folder.Root, "*", SearchOption.AllDirectories).Length != reader.Files)
            throw new InvalidOperationException("The reader has touched a file.");
    }

    private TimeSpan Timed(byte[] input)
    {
        var began = Stopwatch.GetTimestamp();
        try
        {
            reader.Read(folder, input);
        }
        catch (Exception e) when (e is MuktaException || reader.Failures.Any(f => f.IsInstanceOfType(e)))
        {
            // One of its own.
        }

        return Stopwatch.GetElapsedTime(began);
    }
}
