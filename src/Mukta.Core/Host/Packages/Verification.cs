namespace Mukta.Host.Packages;

/// <summary>
/// Reads what a verification of packages prints; dpkg(1) has the lines from rpm(8): nine marks, a letter for the kind of file, and the
/// path; the third mark is <c>5</c> if the bytes differ. In the place of the marks, <c>missing</c> says that the file is not there.
/// </summary>
internal static class Verification
{
    private const int Digest = 2;
    private const string Missing = "missing", SettingsFile = "c", Ghost = "g";

    /// <summary>The files that differ, and whether each is missing.</summary>
    public static IEnumerable<(string Path, bool IsMissing)> Altered(IEnumerable<string> lines)
    {
        foreach (var line in lines)
        {
            var at = line.IndexOf('/', StringComparison.Ordinal);
            if (at < 0 || line[..at].Split(' ', StringSplitOptions.RemoveEmptyEntries) is not [var marks, .. var kind]
                || kind is [SettingsFile or Ghost])
                continue;
            if (marks == Missing || (marks.Length > Digest && marks[Digest] == '5'))
                yield return (line[at..], marks == Missing);
        }
    }

    /// <summary>The same with the package of each.</summary>
    public static async Task<IReadOnlyList<AlteredFile>> OwnedAsync(
        IPackageManager manager, IReadOnlyList<(string Path, bool IsMissing)> files, CancellationToken cancel)
    {
        var owners = await manager.OwnersAsync([.. files.Select(f => f.Path)], cancel).ConfigureAwait(false);
        return [.. files.Where(f => owners.ContainsKey(f.Path)).Select(f => new AlteredFile(owners[f.Path], f.Path, f.IsMissing))];
    }
}
