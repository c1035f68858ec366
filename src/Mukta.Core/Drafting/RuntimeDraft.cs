using Mukta.Disk;
using Mukta.Host.Packages;
using Mukta.Host.Runtime;
using Mukta.Manifests;

namespace Mukta.Drafting;

/// <summary>Drafts what a product needs from the machine: its programs, the C library, and the packages that bring its libraries.</summary>
internal static class RuntimeDraft
{
    private const int MostPrograms = 40;
    private const string LibcVersion = "GLIBC_";
    private static readonly string[] LibcParts =
        ["libc.so.6", "libm.so.6", "libdl.so.2", "libpthread.so.0", "librt.so.1", "libresolv.so.2", "libutil.so.1"];

    public static async Task<DraftMap> OfAsync(DraftRequest request, InstallContents contents, CancellationToken cancel)
    {
        var runtime = new DraftMap();
        var programs = contents.Programs
            .Where(p => !p.IsSetup && !p.IsScript && ManifestPath.Fault(p.Path) is null).Take(MostPrograms).ToList();
        runtime.Add("programs", new DraftList([.. programs.Select(p => DraftText.Of(p.Path, DraftTrust.Seen, p.Kind))]));
        var elves = programs.Select(p => p.Elf).Concat(contents.Libraries).OfType<ElfFile>().ToList();
        var libc = elves.SelectMany(e => e.VersionsNeeded)
            .Where(v => !v.IsWeak && v.Version.StartsWith(LibcVersion, StringComparison.Ordinal))
            .Select(v => Version.TryParse(v.Version.AsSpan(LibcVersion.Length), out var version) ? version : null).Max();
        if (libc is not null)
            runtime.Add("libc", libc.ToString(2), DraftTrust.Seen, "the newest that a program or library here asks for");
        if (request.Machine.IsLive)
            runtime.Add("packages", await PackagesAsync(request, programs, elves, cancel).ConfigureAwait(false));
        return runtime;
    }

    /// <summary>The packages of the libraries that something in the install names and that lie outside of it.</summary>
    private static async Task<DraftMap> PackagesAsync(
        DraftRequest request, List<ProgramFile> programs, List<ElfFile> elves, CancellationToken cancel)
    {
        var search = new LibrarySearch(request.Machine);
        var named = elves.SelectMany(e => e.Libraries).Except(LibcParts).ToHashSet(StringComparer.Ordinal);
        var outside = programs.Where(p => p.Elf is not null).SelectMany(p => search.Of(Path.Join(request.Install, p.Path), p.Elf!, ""))
            .Where(l => l.FoundAt is not null && named.Contains(l.Name) && DraftPlaces.Inside(l.FoundAt, request.Install) is null)
            .DistinctBy(l => l.Name).OrderBy(l => l.Name, StringComparer.Ordinal)
            .Select(l => (l.Name, Real: Folder.RealPathOf(l.FoundAt!), By: Path.GetFileName(l.NeededBy))).ToList();
        var packages = new DraftMap();
        if (PackageManagers.Of(request.Machine) is not { } manager)
            return packages;
        var owners = await manager.OwnersAsync([.. outside.Select(l => l.Real).Distinct()], cancel).ConfigureAwait(false);
        foreach (var (name, real, by) in outside)
        {
            if (owners.TryGetValue(real, out var package))
                packages.Add(name, package.Split(':')[0], DraftTrust.Seen, $"needed by {by}");
        }

        return packages;
    }
}
