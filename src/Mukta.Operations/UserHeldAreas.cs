using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// The held areas of one operation on what lies outside of an install. Usually it is one, in Mukta's folder for state; what
/// is on another file system is held beside where it was, so that a rename is always enough.
/// </summary>
internal sealed class UserHeldAreas : IDisposable
{
    private readonly string usual;
    private readonly OperationHeader header;
    private readonly Action<OperationHeader, string>? begun;
    private readonly Dictionary<string, HeldArea> areas = new(StringComparer.Ordinal);

    public UserHeldAreas(OperationHome home, OperationHeader header, Action<OperationHeader, string>? begun = null)
    {
        this.begun = begun;
        this.header = header;
        Anchor = Folder.Open(home.Root);
        usual = Below(Path.Join(Folder.RealPathOf(home.State), "mukta", "held"));
    }

    /// <summary>Told before every change, see <see cref="Folder.OnChange"/>.</summary>
    public Action? OnChange { init => Anchor.OnChange = value; }

    /// <summary>What all paths are relative to: the machine's root.</summary>
    public Folder Anchor { get; }

    public string Operation => header.Operation;

    /// <summary>Told of each further folder of held areas before it is used, relative to the root.</summary>
    public Action<string>? Spreading { get; set; }

    /// <summary>The folder of held areas that is used for what is no file, relative to the root.</summary>
    public string UsualPlace => usual;

    /// <summary>Opens an area that an interrupted run has used.</summary>
    public void Reopen(string place) => At(place);

    /// <summary>The area for a path, and the path as the area takes it: real, and relative to the root.</summary>
    public (HeldArea Area, string Path) For(string path)
    {
        var real = PathOf(path);
        return (At(DeviceOf(usual) == DeviceOf(OwnFolders.Of(real)) ? usual : $"{OwnFolders.Of(real)}/.mukta/held"), real);
    }

    /// <summary>A path as an area takes it: real, and relative to the root.</summary>
    public string PathOf(string path) => Below(Path.Join(Folder.RealPathOf(Path.GetDirectoryName(path)!), Path.GetFileName(path)));

    /// <summary>The area in Mukta's folder for state: for what is no file.</summary>
    public HeldArea Usual => At(usual);

    private HeldArea At(string place)
    {
        if (!areas.TryGetValue(place, out var area))
        {
            if (place != usual)
                Spreading?.Invoke(place);
            var left = OperationRecord.Read(Anchor, $"{place}/{header.Operation}");
            if (left is null && Anchor.Look($"{place}/{header.Operation}/{OperationRecord.FileName}") is not null)
                Anchor.RemoveFile($"{place}/{header.Operation}/{OperationRecord.FileName}"); // Interrupted before its first line was whole.
            areas.Add(place, area = left is null ? HeldArea.Begin(Anchor, place, header) : HeldArea.Reopen(Anchor, left));
            begun?.Invoke(header, Shown(place));
        }

        return area;
    }

    /// <summary>Writes down that the operation is done.</summary>
    public void End()
    {
        foreach (var area in areas.Values)
            area.End();
    }

    /// <summary>A path relative to the root as people name it.</summary>
    public string Shown(string path) => Path.Join(Anchor.RealPath, path);

    /// <summary>Takes away an area whose contents are gone for good.</summary>
    public void Forget(HeldArea area)
    {
        areas.Remove(areas.Single(a => a.Value == area).Key);
        area.Dispose();
        TreeBulk.Remove(Anchor, area.Path, CancellationToken.None);
    }

    public void Dispose()
    {
        foreach (var area in areas.Values)
            area.Dispose();
        Anchor.Dispose();
    }

    private string Below(string path) => Path.GetRelativePath(Anchor.RealPath, path);

    private ulong DeviceOf(string path)
    {
        while (path.Length > 0 && Anchor.Look(path) is null)
            path = OwnFolders.Of(path);
        return Anchor.Look(path.Length > 0 ? path : ".")!.Value.Device;
    }
}
