namespace Mukta.Host.Packages;

/// <summary>The package manager of Debian and its kin, through dpkg-query(1) and dpkg(1).</summary>
/// <param name="root">What <c>/</c> stands for.</param>
internal sealed class Dpkg(string root) : IPackageManager
{
    private const string Query = "/usr/bin/dpkg-query", Program = "/usr/bin/dpkg";

    /// <summary>True if its programs are on the machine that this runs on.</summary>
    public static bool IsHere => File.Exists(Query) && File.Exists(Program);

    /// <inheritdoc/>
    public string Finish => "sudo dpkg --configure -a";

    private string Database => $"--admindir={Path.Join(root, "var/lib/dpkg")}";

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
        // A folder such as /lib may be a link to /usr/lib, and the manager knows one of the two names.
        string[] names = [.. asked.SelectMany(f => new[] { f, OtherName(f) })];
        foreach (var line in await ManagerRun.LinesAsync(Query, [Database, "--search", "--", .. names], cancel).ConfigureAwait(false))
        {
            if (line.IndexOf(": ", StringComparison.Ordinal) is var at and > 0)
            {
                var (package, file) = (line[..at].Split(',')[0], line[(at + 2)..]);
                if (asked.Contains(file))
                    owners.TryAdd(file, package);
                if (asked.Contains(OtherName(file)))
                    owners.TryAdd(OtherName(file), package);
            }
        }

        return owners;
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<AlteredFile>> AlteredAsync(IReadOnlyList<string> packages, CancellationToken cancel)
    {
        var found = await Task.WhenAll(packages.Select(async package => Verification
            .Altered(package, await ManagerRun.LinesAsync(Program, [$"--root={root}", "--verify", package], cancel).ConfigureAwait(false))))
            .ConfigureAwait(false);
        return [.. found.SelectMany(f => f)];
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

    private static string OtherName(string file) => file.StartsWith("/usr/", StringComparison.Ordinal) ? file[4..] : "/usr" + file;
}
