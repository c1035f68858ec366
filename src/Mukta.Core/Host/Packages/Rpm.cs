namespace Mukta.Host.Packages;

/// <summary>The package manager of Fedora and its kin, through rpm(8).</summary>
/// <param name="root">What <c>/</c> stands for. Another one can only root ask about: rpm enters it.</param>
/// <param name="database">The folder of its database, as the machine names it: where it is differs between systems.</param>
internal sealed class Rpm(string root, string database) : IPackageManager
{
    private const string Program = "/usr/bin/rpm";

    /// <summary>True if its program is on the machine that this runs on.</summary>
    public static bool IsHere => File.Exists(Program);

    /// <inheritdoc/>
    public string Finish => "sudo dnf distro-sync";

    /// <inheritdoc/>
    public string Reinstall(string package) => $"sudo dnf reinstall {package}";

    /// <inheritdoc/>
    public async Task<IReadOnlyDictionary<string, string>> OwnersAsync(IReadOnlyList<string> files, CancellationToken cancel)
    {
        if (files.Count == 0)
            return new Dictionary<string, string>();
        // All files of each package that owns one of these: a file may have several owners, so lines do not follow the question.
        var lines = await AskAsync(["--query", "--file", "--queryformat", "[%{=NAME} %{FILENAMES}\\n]", "--", .. files], cancel)
            .ConfigureAwait(false);
        var owners = lines.Select(l => l.Split(' ', 2)).Where(f => f.Length == 2).DistinctBy(f => f[1])
            .ToDictionary(f => f[1], f => f[0], StringComparer.Ordinal);
        return files.Distinct(StringComparer.Ordinal)
            .Select(f => (File: f, Owner: owners.GetValueOrDefault(f) ?? owners.GetValueOrDefault(PackageManagers.OtherName(f))))
            .Where(f => f.Owner is not null).ToDictionary(f => f.File, f => f.Owner!, StringComparer.Ordinal);
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<AlteredFile>> AlteredAsync(IReadOnlyList<string> packages, CancellationToken cancel)
    {
        if (packages.Count == 0)
            return [];
        var files = Verification.Altered(
            await AskAsync(["--verify", "--nodeps", "--noscripts", .. packages], cancel).ConfigureAwait(false)).ToList();
        return await Verification.OwnedAsync(this, files, cancel).ConfigureAwait(false);
    }

    /// <summary>None: rpm itself knows only what is installed.</summary>
    public Task<IReadOnlyList<PendingUpdate>> UpdatesAsync(IReadOnlyList<string> packages, CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<PendingUpdate>>([]);

    /// <inheritdoc/>
    public string Update(string package) => $"sudo dnf upgrade {package}";

    /// <summary>None: a transaction of it is done or is not.</summary>
    public Task<IReadOnlyList<UnfinishedPackage>> UnfinishedAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<UnfinishedPackage>>([]);

    private Task<string[]> AskAsync(IEnumerable<string> arguments, CancellationToken cancel) =>
        ManagerRun.LinesAsync(
            Program, root == "/" ? ["--dbpath", database, .. arguments] : ["--root", root, "--dbpath", database, .. arguments], cancel);
}
