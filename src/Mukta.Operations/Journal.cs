using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// The journal of one operation in one place, open for appending. It is locked, then read. A line holds one change or a batch of them,
/// and is on the disk before its deeds begin. Nothing in it is ever changed, and it is never cut but for an unterminated last line.
/// </summary>
internal sealed class Journal : IDisposable
{
    private readonly WritableFile file;
    private readonly bool isLasting;
    private readonly List<Change> changes;
    private long length;
    private ulong sum;

    private Journal(WritableFile file, OperationRecord record, bool isLasting)
    {
        (this.file, this.isLasting, Header, length, sum) = (file, isLasting, record.Header, record.Length, record.Sum);
        changes = [.. record.Changes];
    }

    public OperationHeader Header { get; }

    /// <summary>All that was written down.</summary>
    public IReadOnlyList<Change> Changes => changes;

    /// <summary>Makes the journal of a new operation.</summary>
    /// <param name="anchor">What paths are relative to.</param>
    /// <param name="path">The operation's folder; it is there.</param>
    /// <param name="header">The first line.</param>
    /// <param name="isLasting">False if nothing is lost with it in a loss of power.</param>
    public static Journal Create(Folder anchor, string path, OperationHeader header, bool isLasting)
    {
        var name = $"{path}/{OperationRecord.FileName}";
        if (OperationRecord.Read(anchor, path) is not null)
            throw new DiskException(DiskException.Exists, "create", Path.Join(anchor.Path, name));
        if (anchor.Look(name) is not null)
            anchor.RemoveFile(name); // Interrupted before its first line was whole.
        var file = anchor.CreateFile(name, 0b110_100_100);
        try
        {
            var like = anchor.Look(path)!.Value;
            anchor.SetOwner(name, like.User, like.Group);
            KeepOthersOff(file, anchor, path);
            var journal = new Journal(file, new OperationRecord(path, header, []), isLasting);
            journal.Write(OperationRecord.Line(header), isFlushed: false); // It is flushed with the first changes.
            return journal;
        }
        catch
        {
            file.Dispose();
            throw;
        }
    }

    /// <summary>Opens a journal that is there, and reads it once nobody else can write to it.</summary>
    /// <exception cref="MuktaException">Another run works on the operation, or the journal cannot be used.</exception>
    public static (Journal Journal, OperationRecord Record) Open(Folder anchor, string path, bool isLasting = true)
    {
        var name = $"{path}/{OperationRecord.FileName}";
        if (anchor.Look(name) is not { } node)
            throw new DiskException(DiskException.NoEntry, "open", Path.Join(anchor.Path, name));
        JournalTrust.Prove(anchor, path, node);
        var file = anchor.OpenToPatch(name);
        try
        {
            KeepOthersOff(file, anchor, path);
            var record = OperationRecord.Read(anchor, path)
                ?? throw new DiskException(DiskException.NoEntry, "read", Path.Join(anchor.Path, name));
            if (record.HasTornEnd)
                file.SetLength(record.Length);
            if (isLasting || record.HasTornEnd)
                file.Flush(); // A run that was killed may have written the last line and not flushed it.
            return (new Journal(file, record, isLasting), record);
        }
        catch
        {
            file.Dispose();
            throw;
        }
    }

    /// <summary>Writes changes down as one line, which is on the disk when this returns.</summary>
    /// <returns>The changes with their numbers.</returns>
    public IReadOnlyList<Change> Append(IReadOnlyList<Change> batch)
    {
        Change[] numbered = [.. batch.Select((c, i) => c with { Number = changes.Count + i })];
        Write(OperationRecord.Line(numbered), isFlushed: isLasting);
        changes.AddRange(numbered);
        return numbered;
    }

    public void Dispose() => file.Dispose();

    /// <summary>Writes a line at the end. One that does not reach the disk is cut off again: the next may be shorter.</summary>
    private void Write(ReadOnlySpan<byte> json, bool isFlushed)
    {
        var (bytes, next) = OperationRecord.Summed(json, sum);
        try
        {
            file.Write(bytes, length);
            if (isFlushed)
                file.Flush();
        }
        catch (DiskException)
        {
            file.SetLength(length);
            throw;
        }

        (length, sum) = (length + bytes.Length, next);
    }

    private static void KeepOthersOff(WritableFile file, Folder anchor, string path)
    {
        if (!FileLock.TryTake(file.Handle))
        {
            throw new MuktaException(
                ExitCode.Blocked, "Another run of mukta is working on this operation.", PathBytes.Shown(Path.Join(anchor.Path, path)),
                "Wait until it has finished, then run the same command again.");
        }
    }
}
