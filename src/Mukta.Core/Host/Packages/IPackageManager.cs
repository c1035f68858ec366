namespace Mukta.Host.Packages;

/// <summary>A file that differs from what its package installed.</summary>
/// <param name="Package">The package, as its manager names it.</param>
/// <param name="Path">The file, as the machine names it.</param>
/// <param name="IsMissing">True if it is not there; otherwise its bytes differ.</param>
public sealed record AlteredFile(string Package, string Path, bool IsMissing);

/// <summary>A package that is only partly installed.</summary>
/// <param name="Name">The package.</param>
/// <param name="State">Its state, in the manager's words, such as <c>half-configured</c>.</param>
public sealed record UnfinishedPackage(string Name, string State);

/// <summary>A package of which a newer version is known.</summary>
/// <param name="Package">The package.</param>
/// <param name="Installed">The version that is installed.</param>
/// <param name="Candidate">The newer one.</param>
public sealed record PendingUpdate(string Package, string Installed, string Candidate);

/// <summary>What a machine's package manager says. Nothing is changed, and no network is asked.</summary>
public interface IPackageManager
{
    /// <summary>The packages of files, by file. A file of no package is left out.</summary>
    /// <exception cref="MuktaException">The manager does not answer.</exception>
    Task<IReadOnlyDictionary<string, string>> OwnersAsync(IReadOnlyList<string> files, CancellationToken cancel);

    /// <summary>The files of packages that are missing or whose bytes differ. Settings files may differ, so they are left out.</summary>
    /// <exception cref="MuktaException">The manager does not answer.</exception>
    Task<IReadOnlyList<AlteredFile>> AlteredAsync(IReadOnlyList<string> packages, CancellationToken cancel);

    /// <summary>The packages that are only partly installed.</summary>
    /// <exception cref="MuktaException">The manager does not answer.</exception>
    Task<IReadOnlyList<UnfinishedPackage>> UnfinishedAsync(CancellationToken cancel);

    /// <summary>Those of these packages of which the manager already knows a newer version.</summary>
    /// <exception cref="MuktaException">The manager does not answer.</exception>
    Task<IReadOnlyList<PendingUpdate>> UpdatesAsync(IReadOnlyList<string> packages, CancellationToken cancel);

    /// <summary>The command that brings a package up to date.</summary>
    string Update(string package);

    /// <summary>The command that installs a package again.</summary>
    string Reinstall(string package);

    /// <summary>The command that ends what was begun with the packages.</summary>
    string Finish { get; }
}

/// <summary>Finds a machine's package manager.</summary>
public static class PackageManagers
{
    /// <summary>A file's other name: a folder such as /lib may be a link to /usr/lib, and a manager knows one of the two.</summary>
    internal static string OtherName(string file) => file.StartsWith("/usr/", StringComparison.Ordinal) ? file[4..] : "/usr" + file;

    /// <summary>The manager whose database the machine has; null if it has none that is known, or its program is not here.</summary>
    public static IPackageManager? Of(Machine machine)
    {
        if (Dpkg.IsHere && new FileInfo(machine.At("/var/lib/dpkg/status")) is { Exists: true, Length: > 0 })
            return new Dpkg(machine.Root);
        string[] databases = ["/usr/lib/sysimage/rpm", "/var/lib/rpm"];
        var database = Array.Find(databases, d => Directory.Exists(machine.At(d)) && Directory.EnumerateFiles(machine.At(d)).Any());
        return Rpm.IsHere && database is not null ? new Rpm(machine.Root, database) : null;
    }
}
