using System.Text;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Launching;

/// <summary>One change to a launch entry.</summary>
/// <param name="Entry">The entry as it was read.</param>
/// <param name="Text">Its new text; null to hold it away.</param>
public sealed record LaunchChange(LaunchEntry Entry, string? Text);

/// <summary>What became of one change.</summary>
/// <param name="Change">The change.</param>
/// <param name="Failure">Why it was not made; null where it was.</param>
public sealed record ChangedEntry(LaunchChange Change, MuktaException? Failure);

/// <summary>Changes launch entries: the old file goes to the held area, the new one comes whole by a rename.</summary>
/// <param name="machine">The machine.</param>
/// <param name="time">For the operation's date.</param>
/// <param name="begun">Told of the operation and of each folder of held areas that it uses.</param>
public sealed class LaunchRestorer(Machine machine, TimeProvider time, Action<OperationHeader, string>? begun = null)
{
    private const string Command = "launch", Request = "restore";
    private const int UsualMode = 0b110_100_100;

    /// <summary>What is to be changed. Pure.</summary>
    /// <param name="entries">From <see cref="LaunchLook.At"/>.</param>
    /// <param name="title">The product's name.</param>
    public static IReadOnlyList<LaunchChange> Plan(IEnumerable<LaunchEntry> entries, string title) =>
        [.. entries.Select(e => new LaunchChange(e, LaunchFindings.Restored(e, title))).Where(c => c.Text is not null || c.Entry.Asked is null)];

    /// <summary>Makes changes.</summary>
    /// <returns>The operation's id, where the old files are held, and what became of each change.</returns>
    public (string Operation, IReadOnlyList<ChangedEntry> Changed) Do(string product, IReadOnlyList<LaunchChange> changes)
    {
        using var operation = Operation.Open(machine.Home, OperationHeader.New(Command, product, null, time), Request, begun);
        var changed = changes.Select(c => Do(operation, c)).ToList();
        operation.End();
        return (operation.Header.Operation, changed);
    }

    /// <summary>Writes down that an interrupted restore has nothing left to do.</summary>
    public void EndInterrupted(string product) => Operation.EndInterrupted(machine.Home, Command, product, Request);

    internal static ChangedEntry Do(Operation operation, LaunchChange change)
    {
        try
        {
            var (area, path) = operation.For(change.Entry.Path);
            area.EnsureFolder(Folder.ParentOf(path));
            if (change.Text is null)
                area.SetAside(path);
            else
                Write(operation.Root, area, path, change.Text);
            return new ChangedEntry(change, null);
        }
        catch (DiskException e)
        {
            return new ChangedEntry(change, e);
        }
    }

    private static void Write(Folder anchor, KeptArea area, string path, string text)
    {
        var old = anchor.Look(path);
        var like = old is { Kind: NodeKind.File } ? old.Value : anchor.Look(Folder.ParentOf(path))!.Value with { Mode = UsualMode };
        var staged = $"{area.Path}/new";
        if (anchor.Look(staged) is not null)
            anchor.RemoveFile(staged); // From an interrupted run of the same operation.
        using (var file = anchor.CreateFile(staged, UsualMode))
        {
            file.Write(Encoding.UTF8.GetBytes(text), 0);
            file.Flush();
        }

        anchor.SetOwner(staged, like.User, like.Group);
        anchor.SetMode(staged, like.Mode);
        if (old is { Kind: NodeKind.File })
        {
            area.Replace(staged, path);
            return;
        }

        if (old is not null)
            area.SetAside(path); // A link or a folder where the entry belongs.
        area.Place(staged, path);
    }
}
