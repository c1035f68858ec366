namespace Mukta.Fuzz;

/// <summary>A reader that must end in one of its own failures, in bounded memory, and touch no file. Time is the fuzzer's to measure.</summary>
internal sealed class Bounded(Reader reader, InputFolder folder)
{
    private const long MostMemory = 256L << 20;

    public void Read(byte[] input)
    {
        var before = GC.GetTotalAllocatedBytes();
        try
        {
            reader.Read(folder, input);
        }
        catch (Exception e) when (e is MuktaException || reader.Failures.Any(f => f.IsInstanceOfType(e)))
        {
            // One of its own.
        }

        if (GC.GetTotalAllocatedBytes() - before > MostMemory)
            throw new InvalidOperationException("The reader has asked for more than 256 MiB.");
        if (Directory.GetFileSystemEntries(folder.Root, "*", SearchOption.AllDirectories).Length != reader.Files)
            throw new InvalidOperationException("The reader has touched a file.");
    }
}
