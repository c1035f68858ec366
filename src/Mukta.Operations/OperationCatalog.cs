using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>How an operation stands.</summary>
public enum OperationState
{
    /// <summary>It was interrupted; the same command goes on with it.</summary>
    Unfinished,

    /// <summary>It came to its end.</summary>
    Done,

    /// <summary>It was undone.</summary>
    Undone,
}

/// <summary>What an operation holds in one place.</summary>
/// <param name="Anchor">The folder that its paths are relative to.</param>
/// <param name="Parent">The folder of held areas that it is in, relative to the anchor.</param>
/// <param name="Record">What it has done.</param>
/// <param name="Size">What it holds.</param>
public sealed record HeldOperation(string Anchor, string Parent, OperationRecord Record, TreeSize Size)
{
    /// <summary>The operation's id.</summary>
    public string Id => Record.Header.Operation;

    /// <summary>The operation's folder.</summary>
    public string Place => Path.Join(Anchor, Record.Path);

    /// <summary>How it stands.</summary>
    public OperationState State => Record.IsUndone ? OperationState.Undone : Record.IsEnded ? OperationState.Done : OperationState.Unfinished;
}

/// <summary>Finds the operations that a machine holds something of, puts back what they have changed, and purges what they hold.</summary>
/// <param name="home">The machine.</param>
/// <param name="time">For dates.</param>
/// <param name="services">For operations that have changed services.</param>
public sealed class OperationCatalog(OperationHome home, TimeProvider time, IServiceUndo? services = null)
{
    /// <summary>All operations, oldest first. One that has changed several disks is there once for each.</summary>
    /// <param name="installs">Installs to look in.</param>
    /// <param name="places">Further folders of held areas.</param>
    public IReadOnlyList<HeldOperation> All(IEnumerable<string> installs, IEnumerable<string> places)
    {
        var folders = installs.Select(i => Path.Join(i, HeldArea.OfInstall)).Concat(places).Prepend(Own).Select(RealPath).OfType<string>().Distinct(StringComparer.Ordinal);
        return [.. folders.SelectMany(In).OrderBy(o => o.Record.Header.Started).ThenBy(o => o.Id, StringComparer.Ordinal)];
    }

    /// <summary>Puts back what an operation has changed.</summary>
    /// <param name="areas">All that <see cref="All"/> tells of one operation.</param>
    /// <param name="begun">Told of the undo's own areas, once each is made.</param>
    /// <param name="cancel">Interrupts between steps; the same undo goes on.</param>
    /// <returns>The id of the undo, which can be undone too.</returns>
    /// <exception cref="MuktaException">Something cannot be put back, or another run works on the install.</exception>
    public string Undo(IReadOnlyList<HeldOperation> areas, Action<OperationHeader, string>? begun, CancellationToken cancel)
    {
        string? id = null;
        foreach (var area in areas.Where(a => a.State != OperationState.Undone).OrderBy(IsUsual))
        {
            using var anchor = Folder.Open(area.Anchor);
            using var held = area.Record.Header.Anchor == OperationHeader.Install ? InstallLock.Take(anchor, time) : null;
            id = new Undoer(time, header => begun?.Invoke(header, Path.Join(area.Anchor, area.Parent)), services).Undo(anchor, area.Parent, area.Record, id, cancel);
        }

        return id ?? throw new ArgumentException("There is nothing to undo.", nameof(areas));
    }

    /// <summary>The area in Mukta's folder for state comes last: services are changed back once the files are.</summary>
    private bool IsUsual(HeldOperation area) => area.Record.Header.Anchor == OperationHeader.Root && Path.Join(area.Anchor, area.Parent) == RealPath(Own);

    private string Own => Path.Join(home.State, "mukta", "held");

    /// <summary>Deletes what an operation holds, and its record. Nothing brings it back.</summary>
    /// <exception cref="MuktaException">Something cannot be removed, and the rest stays listed; or another run works on the install.</exception>
    public void Purge(HeldOperation area, CancellationToken cancel)
    {
        using var anchor = Folder.Open(area.Anchor);
        using var held = area.Record.Header.Anchor == OperationHeader.Install ? InstallLock.Take(anchor, time) : null;
        if (anchor.Look($"{area.Record.Path}/files") is not null)
            TreeBulk.Remove(anchor, $"{area.Record.Path}/files", cancel); // The record goes last: until then the rest can still be found.
        TreeBulk.Remove(anchor, area.Record.Path, cancel);
    }

    private IEnumerable<HeldOperation> In(string held)
    {
        var install = held.EndsWith("/" + HeldArea.OfInstall, StringComparison.Ordinal) ? held[..^(HeldArea.OfInstall.Length + 1)] : null;
        return At(home.Root, Path.GetRelativePath(home.Root, held), OperationHeader.Root).Concat(install is null ? [] : At(install, HeldArea.OfInstall, OperationHeader.Install));
    }

    private static List<HeldOperation> At(string anchor, string parent, string kind)
    {
        using var folder = Folder.Open(anchor);
        return [.. OperationRecord.In(folder, parent).Where(r => r.Header.Anchor == kind)
            .Select(r => new HeldOperation(anchor, parent, r, Held(TreeBulk.Measure(folder, r.Path, CancellationToken.None), r)))];
    }

    /// <summary>What lies in an operation's folder beside its record.</summary>
    private static TreeSize Held(TreeSize all, OperationRecord record) => all with { Bytes = Math.Max(0, all.Bytes - record.Length), Files = all.Files - 1 };

    private static string? RealPath(string path)
    {
        if (!Directory.Exists(path))
            return null;
        using var folder = Folder.Open(path);
        return folder.RealPath;
    }
}
