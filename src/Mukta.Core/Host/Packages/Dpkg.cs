namespace Mukta.Host.Packages;

/// <summary>The package manager of Debian and its kin, through dpkg-query(1) and dpkg(1).</summary>
/// <param name="root">What <c>/</c> stands for.</param>
internal sealed class Dpkg(string root) : IPackageManager
{
    private const string Query = "/usr/bin/dpkg-query", Program = "/usr/bin/dpkg", Lists = "/usr/bin/apt-cache";

    /// <summary>True if its programs are on the machine that this runs on.</summary>
    public static bool IsHere => File.Exists(Query) && File.Exists(Program);

    /// <inheritdoc/>
    public string Finish => "sudo dpkg --configure -a";

    private string Database => $"--admindir={Path.Join(root, "var/lib/dpkg")}";

    /// <inheritdoc/>
    public string Update(string package) => $"sudo apt-get install --only-upgrade {package}";

    /// <inheritdoc/>
    public string Reinstall(string package) => $"sudo apt-get install --reinstall {package}";

    /// <inheritdoc/>
    public async Task<IReadOnlyDictionary<string, string>> OwnersAsync(IReadOnlyList<string> files, CancellationToken cancel)
    {
        var owners = new Dictionary<string, string>(StringComparer.Ordinal);
        // A name with a wildcard would be a pattern to it; none of a package's files has one.
        var asked = files.Where(f => f.IndexOfAny(['*', '?', '[', '\\']) < 0).ToHashSet(StringComparer.Ordinal);
        if (asked.Count == 0)
            return owners;
        string[] names = [.. asked.SelectMany(f => new[] { f, PackageManagers.OtherName(f) })];
        foreach (var line in await ManagerRun.LinesAsync(Query, [Database, "--search", "--", .. names], cancel).ConfigureAwait(false))
        {
            if (line.IndexOf(": ", StringComparison.Ordinal) is var at and > 0)
            {
                var (package, file) = (line[..at].Split(',')[0], line[(at + 2)..]);
                if (asked.Contains(file))
                    owners.TryAdd(file, package);
                if (asked.Contains(PackageManagers.OtherName(file)))
                    owners.TryAdd(PackageManagers.OtherName(file), package);
            }
        }

        return owners;
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<AlteredFile>> AlteredAsync(IReadOnlyList<string> packages, CancellationToken cancel)
    {
        if (packages.Count == 0)
            return [];
        var files = Verification.Altered(
            await ManagerRun.LinesAsync(Program, [$"--root={root}", "--verify", .. packages], cancel).ConfigureAwait(false)).ToList();
        return await Verification.OwnedAsync(this, files, cancel).ConfigureAwait(false);
    }

    /// <summary>By apt-cache(8), from the lists that were downloaded last; without its cache of them that takes too long.</summary>
    public async Task<IReadOnlyList<PendingUpdate>> UpdatesAsync(IReadOnlyList<string> packages, CancellationToken cancel) =>
        packages.Count == 0 || root != "/" || !File.Exists(Lists) || !File.Exists("/var/cache/apt/pkgcache.bin") ? []
        : Updates(await ManagerRun.LinesAsync(Lists, ["policy", "--", .. packages], cancel).ConfigureAwait(false));

    /// <summary>Reads what <c>apt-cache policy</c> prints: a package's name, and indented below it its versions.</summary>
    internal static IReadOnlyList<PendingUpdate> Updates(IEnumerable<string> lines)
    {
        var (updates, package, installed) = (new List<PendingUpdate>(), "", "");
        foreach (var line in lines)
        {
            if (!line.StartsWith(' '))
                package = line.TrimEnd(':');
            else if (line.Trim().Split(": ", 2) is ["Installed", var has])
                installed = has;
            else if (line.Trim().Split(": ", 2) is ["Candidate", var candidate] && candidate != installed && candidate != "(none)")
                updates.Add(new PendingUpdate(package, installed, candidate));
        }

        return updates;
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<UnfinishedPackage>> UnfinishedAsync(CancellationToken cancel)
    {
        string[] settled = ["installed", "config-files", "not-installed"];
        var lines = await ManagerRun.LinesAsync(
            Query, [Database, "--show", "--showformat=${db:Status-Status} ${db:Status-Eflag} ${binary:Package}\n"], cancel)
            .ConfigureAwait(false);
        return [.. lines.Select(l => l.Split(' ')).Where(f => f.Length == 3 && (!settled.Contains(f[0]) || f[1] != "ok"))
            .Select(f => new UnfinishedPackage(f[2], f[1] == "ok" ? f[0] : f[1]))];
    }
}
