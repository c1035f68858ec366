using Mukta.Disk;

namespace Mukta.Tests;

/// <summary>Gives a real tree the names and bytes that a loss of power has left it. Folders and files keep their inodes.</summary>
internal sealed class Aftermath(
    Dictionary<(ulong Folder, string Name), ulong?> names, Dictionary<ulong, byte[]> bytes, Dictionary<ulong, string> graves,
    IReadOnlyList<string> roots,
    Func<string, string> graveyardOf)
{
    private readonly Dictionary<ulong, (ulong Folder, string Name)> placeOf = [];
    private readonly Dictionary<ulong, string> loose = new(graves);
    private readonly Dictionary<ulong, long> times = [];

    public void Come()
    {
        foreach (var root in roots)
            Learn(root, 0);

        var differing = names.Where(
            n => PathOf(n.Key.Folder) is { } folder && ForgettingDisk.Lstat(Path.Join(folder, n.Key.Name))?.Inode != n.Value).ToList();
        foreach (var (key, _) in differing)
            TakeOut(key);
        foreach (var (key, inode) in differing.Where(d => d.Value is not null))
            Put(key, inode!.Value);
        foreach (var (inode, left) in bytes)
            Write(inode, left);
        foreach (var (folder, modified) in times)
        {
            if (PathOf(folder) is { } path && Directory.Exists(path))
                Touch(path, modified);
        }
    }

    /// <summary>Learns where everything is, and when folders were changed last.</summary>
    private void Learn(string path, ulong parent)
    {
        if (ForgettingDisk.Lstat(path) is not { } node)
            return;
        if (parent == 0)
            loose[node.Inode] = path;
        else
            placeOf[node.Inode] = (parent, Path.GetFileName(path));
        if (node.Kind != NodeKind.Folder)
            return;
        times[node.Inode] = node.ModifiedNs;
        foreach (var inside in Directory.EnumerateFileSystemEntries(path, "*", new EnumerationOptions { AttributesToSkip = 0 }))
            Learn(inside, node.Inode);
    }

    private string? PathOf(ulong inode) =>
        placeOf.TryGetValue(inode, out var place) ? PathOf(place.Folder) is { } folder ? Path.Join(folder, place.Name) : null
        : loose.GetValueOrDefault(inode);

    private void TakeOut((ulong Folder, string Name) key)
    {
        var path = Path.Join(PathOf(key.Folder)!, key.Name);
        if (ForgettingDisk.Lstat(path) is not { } node)
            return;
        var to = Path.Join(graveyardOf(path), $"out-{node.Inode}-{loose.Count}-{Guid.NewGuid():N}");
        if (node.Kind == NodeKind.Folder)
            Directory.Move(path, to);
        else
            File.Move(path, to);
        if (placeOf.TryGetValue(node.Inode, out var place) && place == key)
            placeOf.Remove(node.Inode);
        if (!placeOf.ContainsKey(node.Inode))
            loose[node.Inode] = to;
    }

    private void Put((ulong Folder, string Name) key, ulong inode)
    {
        var to = Path.Join(PathOf(key.Folder)!, key.Name);
        if (PathOf(inode) is not { } from)
        {
            Directory.CreateDirectory(to); // A folder that was removed: the only thing that has no second name.
        }
        else if (Directory.Exists(from) && new FileInfo(from).LinkTarget is null)
        {
            Directory.Move(from, to);
        }
        else
        {
            ForgettingDisk.Link(from, to).ShouldBe(0, $"{from} to {to}");
        }

        placeOf[inode] = key;
    }

    private void Write(ulong inode, byte[] left)
    {
        if (PathOf(inode) is not { } path || !File.Exists(path) || new FileInfo(path).LinkTarget is not null)
            return;
        using var parent = Folder.Open(Path.GetDirectoryName(path)!);
        var was = parent.Look(Path.GetFileName(path))!.Value;
        using (var file = File.OpenHandle(path, FileMode.Open, FileAccess.ReadWrite, FileShare.ReadWrite))
        {
            RandomAccess.SetLength(file, left.Length);
            RandomAccess.Write(file, left, 0);
        }

        parent.SetModified(Path.GetFileName(path), was.ModifiedNs);
    }

    private static void Touch(string path, long modified)
    {
        using var folder = Folder.Open(path);
        folder.SetModified(".", modified);
    }
}
