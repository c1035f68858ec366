namespace Mukta.Host.Packages;

/// <summary>The package manager of Fedora and its kin, through rpm(8).</summary>
/// <param name="root">What <c>/</c> stands for. Another one can only root ask about: rpm enters it.</param>
internal sealed class Rpm(string root) : IPackageManager
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
        string[] there = [.. files.Where(f => File.Exists(Path.Join(root, f)))];
        if (there.Length == 0)
            return new Dictionary<string, string>();
        // All files of each package that owns one of these: a file may have several owners, so that lines do not follow the question.
        var lines = await AskAsync(["--query", "--file", "--queryformat", "[%{=NAME} %{FILENAMES}\\n]", "--", .. there], cancel)
            .ConfigureAwait(false);
        var owners = lines.Select(l => l.Split(' ', 2)).Where(f => f.Length == 2).DistinctBy(f => f[1])
            .ToDictionary(f => f[1], f => f[0], StringComparer.Ordinal);
        return there.Distinct(StringComparer.Ordinal).Where(owners.ContainsKey)
            .ToDictionary(f => f, f => owners[f], StringComparer.Ordinal);
    }

    /// <inheritdoc/>
    public async Task<IReadOnlyList<AlteredFile>> AlteredAsync(IReadOnlyList<string> packages, CancellationToken cancel)
    {
        var found = await Task.WhenAll(packages.Select(
            async p => Verification.Altered(p, await AskAsync(["--verify", "--nodeps", p], cancel).ConfigureAwait(false))))
            .ConfigureAwait(false);
        return [.. found.SelectMany(f => f)];
    }

    /// <summary>None: a transaction of it is done or is not.</summary>
    public Task<IReadOnlyList<UnfinishedPackage>> UnfinishedAsync(CancellationToken cancel) =>
        Task.FromResult<IReadOnlyList<UnfinishedPackage>>([]);

    private Task<string[]> AskAsync(IEnumerable<string> arguments, CancellationToken cancel) =>
        ManagerRun.LinesAsync(Program, root == "/" ? arguments : ["--root", root, .. arguments], cancel);
}
