using System.Formats.Tar;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.UserData;

/// <summary>
/// Puts user data back from its archive. If nothing is there, all of it comes back in one rename; in the new install the
/// user's own wins over what the release brings; elsewhere only what is gone comes back, since what is there may be newer, and
/// an undo leaves it there: somebody else's program has taken it away.
/// </summary>
/// <param name="operation">The operation that has made the archive.</param>
/// <param name="archive">Where it is, relative to the root.</param>
internal sealed class UserDataReturn(Operation operation, string archive)
{
    private readonly Folder root = operation.Root;

    /// <summary>Puts the user's data back from the archive, to where it was.</summary>
    /// <param name="places">What was archived, relative to the root.</param>
    /// <param name="isInInstall">True for what lies in the new install.</param>
    /// <param name="cancel">Interrupts between the places.</param>
    /// <exception cref="MuktaException">The archive is not whole any more, or the disk fails.</exception>
    public void PutBack(IReadOnlyList<string> places, Func<string, bool> isInInstall, CancellationToken cancel)
    {
        var reader = new UserDataArchive(root);
        reader.Check(archive, cancel);
        foreach (var (place, number) in places.Select((p, i) => (p, i)))
        {
            var isInside = isInInstall(place);
            var missing = isInside ? [] : Missing(place, cancel);
            if (!isInside && missing.Count == 0)
                continue;
            var (area, path) = operation.For(Path.Join(root.Path, place));
            if (isInside)
                PutIn(area, path, $"{area.Path}/back-{number}", cancel);
            foreach (var gone in missing)
                Put(gone, $"{area.Path}/back-{number}", cancel);
        }
    }

    /// <summary>Into the new install, in the place of what the release brings.</summary>
    private void PutIn(KeptArea area, string path, string staged, CancellationToken cancel)
    {
        if (root.Look(path) is not null && area.HasPlaced(path))
            return; // Done before an interruption.
        Stage(path, staged, cancel);
        if (root.Look(staged) is null)
            return; // There was nothing to archive.
        area.EnsureFolder(Folder.ParentOf(path));
        if (root.Look(path) is not null)
            area.SetAside(path);
        area.Place(staged, path);
    }

    private void Put(string path, string staged, CancellationToken cancel)
    {
        Stage(path, staged, cancel);
        root.EnsureFolder(Folder.ParentOf(path));
        root.Move(staged, path);
        root.FlushWayTo(path); // Folders around it may have been made for it, also by a run that was killed.
    }

    /// <summary>What was archived of a place and is gone; of a folder that is gone nothing that was in it.</summary>
    private List<string> Missing(string place, CancellationToken cancel)
    {
        var missing = new List<string>();
        new UserDataArchive(root).Each(archive, Look, cancel);
        return missing;

        void Look(TarEntry entry)
        {
            if (entry.Name != UserDataArchive.ListName && UserDataArchive.PathOf(entry) is var path && IsBelow(path, place)
                && root.Look(path) is null && !missing.Any(m => IsBelow(path, m)))
                missing.Add(path);
        }
    }

    /// <summary>Unpacks what the archive holds of a place, with modes, owners and times.</summary>
    private void Stage(string place, string staged, CancellationToken cancel)
    {
        if (root.Look(staged) is not null)
            TreeBulk.Remove(root, staged, cancel);
        var folders = new List<(string Path, TarEntry Entry)>();
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        new UserDataArchive(root).Each(archive, Take, cancel);
        foreach (var (path, entry) in Enumerable.Reverse(folders))
        {
            root.Flush(path);
            CopyMetadata(path, entry); // Not before all is in it: that changes its time, and its mode may forbid it.
        }


        void Take(TarEntry entry)
        {
            var path = UserDataArchive.PathOf(entry);
            if (entry.Name == UserDataArchive.ListName || !IsBelow(path, place))
                return;
            var to = staged + path[place.Length..];
            names[entry.Name] = to;
            Unpack(entry, to, names);
            if (entry.EntryType == TarEntryType.Directory)
                folders.Add((to, entry));
        }
    }

    private void Unpack(TarEntry entry, string to, Dictionary<string, string> names)
    {
        switch (entry.EntryType)
        {
            case TarEntryType.Directory:
                root.MakeFolder(to, 0b111_000_000);
                return;
            case TarEntryType.SymbolicLink:
                root.MakeLink(to, UserDataArchive.TargetOf(entry));
                break;
            case TarEntryType.HardLink when names.TryGetValue(entry.LinkName, out var first) && root.TryLink(first, to):
                return;
            case TarEntryType.HardLink:
                throw new MuktaException(
                    ExitCode.Blocked, "A file of the user's had two names, and this disk gives it only one.", PathBytes.Shown(to),
                    $"It stands in the archive: {PathBytes.Shown(Path.Join(root.Path, archive))}");
            default:
                using (var file = root.CreateFile(to, 0b110_000_000))
                {
                    using (var stream = file.AsStream())
                        entry.DataStream?.CopyTo(stream);
                    file.Flush();
                }

                break;
        }

        CopyMetadata(to, entry);
    }

    private void CopyMetadata(string path, TarEntry entry)
    {
        root.SetOwner(path, (uint)entry.Uid, (uint)entry.Gid);
        if (entry.EntryType != TarEntryType.SymbolicLink)
            root.SetMode(path, (int)entry.Mode);
        root.SetModified(path, UserDataArchive.ModifiedNs(entry));
    }

    private static bool IsBelow(string path, string place) => path == place || path.StartsWith(place + "/", StringComparison.Ordinal);
}
