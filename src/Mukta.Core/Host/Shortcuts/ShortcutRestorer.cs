using System.Text;
using Mukta.Disk;
using Mukta.Operations;

namespace Mukta.Host.Shortcuts;

/// <summary>One change to a shortcut.</summary>
/// <param name="Entry">The entry as it was read.</param>
/// <param name="Text">Its new text; null to hold it away.</param>
public sealed record ShortcutChange(Shortcut Entry, string? Text);

/// <summary>What became of one change.</summary>
/// <param name="Change">The change.</param>
/// <param name="Failure">Why it was not made; null if it was.</param>
public sealed record ChangedEntry(ShortcutChange Change, MuktaException? Failure);

/// <summary>Changes shortcuts: the old file goes to the kept files, the new one comes whole by a rename.</summary>
public static class ShortcutRestorer
{
    private const int UsualMode = 0b110_100_100;

    /// <summary>What is to be changed. Pure.</summary>
    /// <param name="entries">From <see cref="ShortcutLook.At"/>.</param>
    /// <param name="title">The product's name.</param>
    public static IReadOnlyList<ShortcutChange> Plan(IEnumerable<Shortcut> entries, string title) =>
        [.. entries.Select(e => new ShortcutChange(e, ShortcutFindings.Restored(e, title)))
        .Where(c => c.Text is not null || c.Entry.Asked is null)];

    /// <summary>Makes one.</summary>
    public static ChangedEntry Do(Operation operation, ShortcutChange change)
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
