using System.Collections.Concurrent;
using Mukta.Disk;
using Mukta.Manifests;

namespace Mukta.Verification.Quick;

/// <summary>Compares an install with the seals of its files, on all cores, without reading a byte of them.</summary>
internal sealed class QuickLook(Folder install, VerifiedRecord record, WorkMeter? meter, CancellationToken cancel)
{
    private readonly ConcurrentStack<string> folders = [];
    private readonly ConcurrentBag<Stray> strays = [];
    private long matched;
    private int open;
    private volatile bool differs;

    /// <summary>What is there beside the sealed files, which are all as they were; null if one of them is not.</summary>
    public IReadOnlyList<Stray>? Look()
    {
        (open, matched, differs) = (1, 0, false);
        folders.Push("");
        Parallel.For(0, Environment.ProcessorCount, _ => Work());
        return differs || matched != record.Count ? null : [.. strays.OrderBy(s => s.Path, StringComparer.Ordinal)];
    }

    private void Work()
    {
        var wait = new SpinWait();
        while (Volatile.Read(ref open) > 0 && !differs)
        {
            cancel.ThrowIfCancellationRequested();
            if (!folders.TryPop(out var folder))
            {
                wait.SpinOnce();
                continue;
            }

            wait.Reset();
            try
            {
                Compare(folder);
            }
            catch (DiskException)
            {
                differs = true; // What cannot be listed is a matter for the long way.
            }
            finally
            {
                Interlocked.Decrement(ref open);
            }
        }
    }

    private void Compare(string path)
    {
        var known = record.Folders.GetValueOrDefault(path);
        var prefix = path.Length == 0 ? "" : path + "/";
        using var handle = install.OpenFolder(path);
        var (guess, right, seen) = (0, 0, 0);
        FolderStream.Each(handle, path, (name, type) =>
        {
            seen++;
            if (differs)
                return;
            if (type == FolderStream.OfFolder)
            {
                Enter(prefix, name[..^1]);
                return;
            }

            if (FolderStream.Look(handle, name) is not { } node)
            {
                differs = true;
                return;
            }

            if (node.Kind == NodeKind.Folder)
                Enter(prefix, name[..^1]);
            else if (known is null || !known.TryFind(name[..^1], ref guess, out var seal))
                strays.Add(new Stray(prefix + PathBytes.Decode(name[..^1]), node));
            else if (node.Device != known.Device || !seal.Fits(node))
                differs = true;
            else
                right++;
        });
        Interlocked.Add(ref matched, right);
        meter?.CountFiles(seen);
    }

    private void Enter(string prefix, ReadOnlySpan<byte> name)
    {
        var path = prefix + PathBytes.Decode(name);
        if (path == ManifestPath.OwnFolder)
            return;
        Interlocked.Increment(ref open);
        folders.Push(path);
    }
}
