using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// The areas of one operation. Usually it is one, in Mukta's folder for state; what is on another mount is kept beside where it was, so
/// that a rename is always enough. The first names all others.
/// </summary>
internal sealed class AreasOfOperation : IDisposable
{
    private readonly string mainPlace;
    private readonly Action<OperationHeader, string>? begun;
    private readonly Dictionary<string, KeptArea> areas = new(StringComparer.Ordinal);
    private readonly OperationHome home;

    public AreasOfOperation(OperationHome home, OperationHeader header, Action<OperationHeader, string>? begun)
    {
        (this.begun, this.home) = (begun, home);
        Root = Folder.Open(home.Root);
        try
        {
            mainPlace = MainOf(Root, home);
            Header = header.Sequence > 0 ? header : header with
            {
                Sequence = OperationSequence.Next(home, OperationRecord.In(Root, mainPlace)),
            };
        }
        catch
        {
            Root.Dispose();
            throw;
        }
    }

    public OperationHeader Header { get; }

    public Folder Root { get; }

    public KeptArea Main => At(mainPlace, "");

    /// <summary>The folder of all operations in Mukta's folder for state, relative to the root.</summary>
    public static string MainOf(Folder root, OperationHome home) =>
        Path.GetRelativePath(root.RealPath, Path.Join(Folder.RealPathOf(home.State), "mukta", KeptArea.FolderName));

    /// <summary>Opens the area of an interrupted run again.</summary>
    public void Reopen(string place)
    {
        if (Root.Look($"{place}/{KeptArea.OfInstall}/{Header.Operation}") is not null)
            Beside(place);
    }

    public (KeptArea Area, string Path) For(string path)
    {
        var real = PathOf(path);
        if (MountOf(mainPlace) == MountOf(Folder.ParentOf(real)))
            return (Main, real);
        var known = areas.Keys.Where(
            k => k != mainPlace && IsBelow(real, PlaceOf(k)) && real != PlaceOf(k) && MountOf(PlaceOf(k)) == MountOf(Folder.ParentOf(real)))
            .MaxBy(k => k.Length);
        return (known is null ? Beside(Folder.ParentOf(real)) : areas[known], real);
    }

    public string PathOf(string path) =>
        Path.GetRelativePath(Root.RealPath, Path.Join(Folder.RealPathOf(Path.GetDirectoryName(path)!), Path.GetFileName(path)));

    public void End()
    {
        foreach (var area in areas.Values)
            area.End();
    }

    /// <summary>Deletes everything that is kept, the journal that names the other places last.</summary>
    public void Delete(CancellationToken cancel)
    {
        foreach (var (kept, area) in areas.OrderBy(a => a.Key == mainPlace).ToList())
        {
            area.DeleteKept(cancel);
            var path = area.Path;
            areas.Remove(kept);
            area.Dispose();
            TreeBulk.Remove(Root, path, cancel);
        }
    }

    public void Dispose()
    {
        foreach (var area in areas.Values)
            area.Dispose();
        Root.Dispose();
    }

    private KeptArea Beside(string place)
    {
        if (!Main.Changes.Any(c => c is AreaUsed used && used.Place == place))
            Main.Note(new AreaUsed(place));
        return At($"{place}/{KeptArea.OfInstall}", place);
    }

    /// <summary>The area whose journal is in a folder of operations, relative to the root.</summary>
    private KeptArea At(string kept, string prefix)
    {
        if (areas.TryGetValue(kept, out var area))
            return area;
        if (prefix.Length > 0)
        {
            Root.EnsureFolder(prefix);
            Root.FlushWayTo(prefix);
        }

        var place = prefix.Length == 0 ? new AreaPlace(Root) { StaysRoots = true }
            : new AreaPlace(Folder.Open(Path.Join(Root.Path, prefix))) { Prefix = prefix, IsOwned = true, StaysRoots = true };
        var parent = prefix.Length == 0 ? kept : KeptArea.OfInstall;
        try
        {
            if (prefix.Length == 0)
                StatePlace.Ensure(home.State);
            area = OperationRecord.Read(place.Anchor, $"{parent}/{Header.Operation}") is null
                ? KeptArea.Begin(place, parent, Header) : KeptArea.Resume(place, $"{parent}/{Header.Operation}");
        }
        catch
        {
            if (place.IsOwned)
                place.Anchor.Dispose();
            throw;
        }

        areas.Add(kept, area);
        begun?.Invoke(Header, Path.Join(Root.RealPath, kept));
        return area;
    }

    private static string PlaceOf(string kept) => kept[..^(KeptArea.OfInstall.Length + 1)];

    private static bool IsBelow(string path, string folder) => path == folder || path.StartsWith(folder + "/", StringComparison.Ordinal);

    /// <summary>The mount of the nearest folder that is there. Only within one can names be moved.</summary>
    private ulong MountOf(string path)
    {
        while (path.Length > 0 && Root.Look(path) is null)
            path = Folder.ParentOf(path);
        var node = Root.Look(path.Length > 0 ? path : ".")!.Value;
        return node.MountId != 0 ? node.MountId : node.Device;
    }
}
