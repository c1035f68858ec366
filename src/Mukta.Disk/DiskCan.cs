namespace Mukta.Disk;

/// <summary>What the file system under a folder can hold.</summary>
/// <param name="KeepsModes">Permission bits.</param>
/// <param name="MakesLinks">Symbolic links.</param>
/// <param name="TellsCaseApart">Two names that differ only by letter case.</param>
/// <param name="LongestFile">Bytes of the longest file; null where no limit is known.</param>
public sealed record DiskCan(bool KeepsModes, bool MakesLinks, bool TellsCaseApart, long? LongestFile)
{
    /// <summary>What is known of a type of file system, by the kernel's name for it.</summary>
    public static DiskCan OfType(string? type) => type switch
    {
        "vfat" or "msdos" => new DiskCan(false, false, false, uint.MaxValue),
        "exfat" => new DiskCan(false, false, false, null),
        "ntfs" or "ntfs3" or "fuseblk" => new DiskCan(false, true, true, null),
        _ => new DiskCan(true, true, true, null),
    };

    /// <summary>Tries it out in a folder, and leaves nothing behind.</summary>
    /// <param name="folder">What the path is below.</param>
    /// <param name="path">A folder that this may write to.</param>
    internal DiskCan TriedIn(Folder folder, string path)
    {
        var (file, link) = ($"{path}/Probe", $"{path}/probe-link");
        foreach (var old in new[] { file, link }.Where(p => folder.Look(p) is not null))
            folder.RemoveFile(old);
        folder.CreateFile(file, 0b110_000_000).Dispose();
        var tellsApart = folder.Look($"{path}/pROBE") is null;
        var keeps = Try(() => folder.SetMode(file, 0b111_101_001)) && folder.Look(file)!.Value.Mode == 0b111_101_001;
        var links = Try(() => folder.MakeLink(link, "Probe"));
        if (links)
            folder.RemoveFile(link);
        folder.RemoveFile(file);
        return new DiskCan(keeps && KeepsModes, links, tellsApart, LongestFile);
    }

    private static bool Try(Action act)
    {
        try
        {
            act();
            return true;
        }
        catch (DiskException e) when (e.Errno is DiskException.NotPermitted or DiskException.NotSupported or DiskException.NotImplemented)
        {
            return false;
        }
    }
}
