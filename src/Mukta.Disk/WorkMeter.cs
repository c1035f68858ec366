namespace Mukta;

/// <summary>Counts work while it is done, from any thread. Whoever shows progress looks at it when it likes.</summary>
public sealed class WorkMeter
{
    private long bytesTotal, bytesDone, filesSeen;
    private string stage = "";

    /// <summary>What is being done now, as a word for people, such as "reading".</summary>
    public string Stage => Volatile.Read(ref stage);

    /// <summary>Bytes to go through in this stage; 0 while not known.</summary>
    public long BytesTotal => Interlocked.Read(ref bytesTotal);

    /// <summary>Bytes gone through in this stage.</summary>
    public long BytesDone => Interlocked.Read(ref bytesDone);

    /// <summary>Names seen in this stage.</summary>
    public long FilesSeen => Interlocked.Read(ref filesSeen);

    /// <summary>Begins a stage, and its counts at nought.</summary>
    public void Begin(string name, long bytes)
    {
        Volatile.Write(ref stage, name);
        Interlocked.Exchange(ref bytesDone, 0);
        Interlocked.Exchange(ref filesSeen, 0);
        Interlocked.Exchange(ref bytesTotal, bytes);
    }

    /// <summary>Counts bytes.</summary>
    public void Count(long bytes) => Interlocked.Add(ref bytesDone, bytes);

    /// <summary>Counts a name.</summary>
    public void CountFile() => CountFiles(1);

    /// <summary>Counts names.</summary>
    public void CountFiles(int count) => Interlocked.Add(ref filesSeen, count);
}
