using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>The locks of all installs that a run works on, until it is disposed.</summary>
/// <param name="time">For the note of since when they are held.</param>
public sealed class InstallLocks(TimeProvider time) : IDisposable
{
    private readonly Dictionary<(ulong Device, ulong Inode), InstallLock> locks = [];

    /// <summary>Takes the lock of an install, unless it is held already.</summary>
    public void Take(Folder install)
    {
        var node = install.Look(".")!.Value;
        if (!locks.ContainsKey((node.Device, node.Inode)))
            locks.Add((node.Device, node.Inode), InstallLock.Take(install, time));
    }

    /// <summary>Takes the lock of an install, unless it is held already.</summary>
    public void Take(string path)
    {
        using var folder = Folder.Open(path);
        Take(folder);
    }

    /// <inheritdoc/>
    public void Dispose()
    {
        foreach (var taken in locks.Values)
            taken.Dispose();
    }

    /// <summary>Takes the locks of everything that an operation has changed and that is an install now.</summary>
    internal void TakeAll(Folder anchor, KeptOperation area, bool isMain)
    {
        if (!isMain)
            Take(anchor);
        foreach (var path in area.Record.Changes.Where(c => c is Swapped or Placed or Renamed).Select(c => c.Subject)
            .Distinct(StringComparer.Ordinal))
        {
            if (path.Length > 0 && anchor.Look($"{path}/{OwnFolder.Name}") is { Kind: NodeKind.Folder })
                Take(Path.Join(anchor.Path, path));
        }
    }
}
