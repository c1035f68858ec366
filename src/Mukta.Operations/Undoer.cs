using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>Changes services back.</summary>
public interface IServiceUndo
{
    /// <summary>How a service is, as a record's line.</summary>
    OperationLine Now(string unit);

    /// <summary>Brings a service back to how a record's line tells that it was.</summary>
    /// <exception cref="MuktaException">The service manager does not do it.</exception>
    void Bring(OperationLine before);
}

/// <summary>
/// Puts back what an operation has changed, last change first: bytes, names, modes, owners and times. It is an operation
/// itself: what it takes away is held, it can be undone, and where it was interrupted the same undo goes on.
/// </summary>
/// <param name="time">For the date.</param>
/// <param name="begun">Told of the undo once its area is made.</param>
/// <param name="services">For operations that have changed services.</param>
public sealed class Undoer(TimeProvider time, Action<OperationHeader>? begun = null, IServiceUndo? services = null)
{
    /// <summary>Undoes what one area of an operation tells.</summary>
    /// <param name="anchor">What the record's paths are relative to.</param>
    /// <param name="parent">The folder of held areas that the operation's is in.</param>
    /// <param name="record">The operation's record.</param>
    /// <param name="id">The undo's own id, where another area of the operation was undone already; null for a new one.</param>
    /// <param name="cancel">Interrupts between steps.</param>
    /// <returns>The undo's id.</returns>
    /// <exception cref="DiskException">Something cannot be put back; what was put back before stays so, and the same undo goes on.</exception>
    public string Undo(Folder anchor, string parent, OperationRecord record, string? id, CancellationToken cancel)
    {
        var left = OperationRecord.In(anchor, parent).LastOrDefault(r => r.Header.Undoes == record.Header.Operation && !r.IsEnded);
        if (left is null && record.Lines.LastOrDefault(l => l.Act == OperationRecord.UndoneAct) is { From: { } before })
            return before;
        var header = left?.Header ?? OperationHeader.New("undo", record.Header.Product, record.Header.Release, record.Header.Anchor, time) with { Undoes = record.Header.Operation };
        if (left is null && id is not null)
            header = header with { Operation = id };
        using var undone = HeldArea.Reopen(anchor, record);
        using var area = left is null ? HeldArea.Begin(anchor, parent, header) : HeldArea.Reopen(anchor, left);
        begun?.Invoke(header);
        var last = left?.Lines.Where(l => l.Undoes is not null).Select(l => l.Undoes!.Value).DefaultIfEmpty(int.MaxValue).Min() ?? int.MaxValue;
        for (var i = record.Lines.Count - 1; i >= 0; i--)
        {
            cancel.ThrowIfCancellationRequested();
            if (i > last)
                continue; // Done before the interruption.
            area.Undoing = i;
            if (record.Lines[i].Act == OperationRecord.ServiceAct)
                Bring(area, record.Lines[i]);
            else if (record.Lines[i].Act == "changes-in")
                SetTime(anchor, record.Lines[i]); // All that was changed in the folder since is undone by now.
            else
                new Step(anchor, area, record.Path, left?.Lines.Where(l => l.Undoes == i).ToList() ?? []).Undo(record.Lines[i]);
        }

        area.Undoing = null;
        undone.Note(new OperationLine(OperationRecord.UndoneAct, "") { From = header.Operation });
        area.End();
        return header.Operation;
    }

    private static void SetTime(Folder anchor, OperationLine noted)
    {
        var folder = noted.Path.Length == 0 ? "." : noted.Path;
        if (anchor.Look(folder) is { Kind: NodeKind.Folder })
            anchor.SetModified(folder, noted.ModifiedNs!.Value);
    }

    private void Bring(HeldArea area, OperationLine service)
    {
        if (services is null)
            throw new InvalidOperationException("This operation has changed services, and nobody is there to change them back.");
        area.Note(services.Now(service.Path));
        services.Bring(service);
    }

    /// <summary>One step back. The lines that it has written before an interruption tell how far it had come.</summary>
    private sealed class Step(Folder anchor, HeldArea area, string heldIn, IReadOnlyList<OperationLine> written)
    {
        public void Undo(OperationLine line)
        {
            switch (line.Act)
            {
                case "made" when !IsHeldNow(line.Path) && anchor.Look(line.Path) is not null:
                    area.Hold(line.Path);
                    break;
                case "held" when IsKept(line):
                    PutBack(line);
                    break;
                case "replaced" when IsKept(line):
                    PutBackReplaced(line);
                    break;
                case "emptied" when IsKept(line) || anchor.Look($"{Held(line)}~aside") is not null:
                    PutBackContents(line);
                    break;
                case "patched":
                    PutBackBytes(line);
                    break;
                case "renamed" when anchor.Look(line.Path) is not null && anchor.Look(line.From!) is null:
                    area.EnsureFolder(OwnFolders.Of(line.From!));
                    area.Rename(line.Path, line.From!);
                    break;
                case "renamed" when anchor.Look(line.Path) is { } there && anchor.Look(line.From!) is { } same && there.IsSameAs(same):
                    area.Rename(line.Path, line.From!, replace: true); // A disk that ignores case.
                    break;
                case "mode" when anchor.Look(line.Path) is not null:
                    area.SetMode(line.Path, FromOctal(line.Mode!));
                    break;
                case "folder-made" when anchor.Look(line.Path) is { Kind: NodeKind.Folder }:
                    area.TryRemoveFolder(line.Path);
                    break;
                case "folder-removed" when anchor.Look(line.Path) is null or { Kind: NodeKind.Folder }:
                    area.EnsureFolder(line.Path);
                    anchor.SetOwner(line.Path, line.User!.Value, line.Group!.Value);
                    anchor.SetMode(line.Path, FromOctal(line.Mode!));
                    anchor.SetModified(line.Path, line.ModifiedNs!.Value);
                    break;
            }
        }

        private string Held(OperationLine line) => $"{heldIn}/{line.HeldAt}";

        private bool IsKept(OperationLine line) => anchor.Look(Held(line)) is not null;

        /// <summary>True where this step has taken something away from a path already, before an interruption.</summary>
        private bool IsHeldNow(string path) => written.Any(w => w.Act == "held" && w.Path == path && anchor.Look($"{area.Path}/{w.HeldAt}") is not null);

        private void PutBack(OperationLine line)
        {
            if (anchor.Look(line.Path) is not null)
                area.Hold(line.Path); // Somebody has put something else there since.
            area.EnsureFolder(OwnFolders.Of(line.Path));
            area.Place(Held(line), line.Path);
        }

        private void PutBackReplaced(OperationLine line)
        {
            if (anchor.Look(line.Path) is not { } now)
                PutBack(line);
            else if (anchor.Look(Held(line)) is { } kept && kept.Inode == now.Inode && kept.Device == now.Device)
                anchor.RemoveFile(Held(line)); // The replacement had only got as far as the second name.
            else if (now.Kind == NodeKind.Folder)
                PutBack(line);
            else
                area.Replace(Held(line), line.Path);
        }

        private void PutBackContents(OperationLine line)
        {
            var now = anchor.Look(line.Path);
            if (now?.Inode == line.Inode)
                return; // It was never emptied, or is put back already; what lies in the area is the empty one.
            if (now is not null)
                area.Hold(line.Path);
            area.EnsureFolder(OwnFolders.Of(line.Path));
            var aside = $"{Held(line)}~aside"; // Where a disk that cannot swap has left it in the middle.
            area.Place(anchor.Look(aside) is null ? Held(line) : aside, line.Path);
        }

        private void PutBackBytes(OperationLine line)
        {
            if (!IsKept(line) || anchor.Look(line.Path) is not { Kind: NodeKind.File })
                return;
            using var file = anchor.OpenToPatch(line.Path);
            using var old = anchor.OpenRead(Held(line));
            area.Patch(line.Path, file, line.Offset!.Value, line.Length!.Value, () => FileBytes.Copy(old, 0, file, line.Offset.Value, line.Length.Value));
            FileBytes.Flush(file, line.Path);
            anchor.SetModified(line.Path, line.ModifiedNs!.Value);
        }

        private static int FromOctal(string mode) => Convert.ToInt32(mode, 8);
    }
}
