using Mukta.Disk;

namespace Mukta.Operations;

/// <summary>
/// Says whose journals are believed. What is in a folder was written by whoever may write there: a journal of somebody else, a link, a
/// pipe or a device is refused, and root acts on a journal with the rights of its owner.
/// </summary>
internal static class JournalTrust
{
    /// <summary>Proves that a journal, and the folders that lead to it, can be believed.</summary>
    /// <param name="anchor">What the path is relative to.</param>
    /// <param name="path">The operation's folder.</param>
    /// <param name="journal">The journal.</param>
    /// <exception cref="JournalFault">It cannot.</exception>
    public static void Prove(Folder anchor, string path, in Node journal)
    {
        var shown = Path.Join(anchor.Path, path, OperationRecord.FileName);
        if (journal.Kind != NodeKind.File || journal.Links != 1)
            throw Refused("is not a regular file of its own", shown);
        uint[] around = [anchor.Look(".")?.User ?? 0, Around(anchor, path)?.User ?? 0];
        if (!IsBelieved(journal.User, CurrentUser.Number, around))
            throw Refused($"belongs to user {journal.User}, who may not change things here", shown);
        for (var folder = path; folder.Length > 0 && Path.GetFileName(folder) != OwnFolder.Name; folder = Folder.ParentOf(folder))
        {
            if (anchor.Look(folder) is not { Kind: NodeKind.Folder } node)
                throw Refused("is not in a folder of mukta's own", shown);
            if (!IsBelieved(node.User, CurrentUser.Number, around))
                throw Refused($"is in a folder of user {node.User}, who may not change things here", shown);
            if (Path.GetFileName(folder) == KeptArea.FolderName)
                break;
        }
    }

    /// <summary>
    /// True if a user may be led by what another has written: by root, by themselves, and by whoever owns the folder, who may change
    /// everything
    /// in it anyway. Root is led by anybody, with that user's rights.
    /// </summary>
    public static bool IsBelieved(uint owner, uint asUser, IReadOnlyList<uint> around) =>
        asUser == 0 || owner == 0 || owner == asUser || around.Contains(owner);

    /// <summary>
    /// Whose rights are used for what a journal says: its owner's; for one of root's inside somebody's folder, the folder's owner's.
    /// </summary>
    /// <param name="anchor">What the journal's paths are relative to.</param>
    /// <param name="record">The journal.</param>
    public static FileSystemIdentity IdentityFor(Folder anchor, OperationRecord record)
    {
        var (user, group) = record.Owner;
        if (user == 0 && anchor.Look(".") is { User: not 0 } around)
            (user, group) = (around.User, around.Group);
        return FileSystemIdentity.Of(user, group);
    }

    private static Node? Around(Folder anchor, string path)
    {
        var folder = Folder.ParentOf(Folder.ParentOf(path));
        return anchor.Look(folder.Length == 0 ? "." : folder);
    }

    private static JournalFault Refused(string why, string shown) => new(
        ExitCode.NotTrusted, $"The journal of an operation {why}, so nothing was done by it.", shown,
        "Remove it if you do not know who made it; the kept files are beside it.");
}
