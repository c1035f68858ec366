using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Host.Runtime;

/// <summary>What a product lacks on its machine. Pure.</summary>
public static class RuntimeFindings
{
    /// <summary>Compares what is there with what the profile and the programs ask for.</summary>
    /// <param name="needs">From the profile.</param>
    /// <param name="facts">What is there.</param>
    /// <param name="published">The paths of the manifest's files; a library among them comes with the product.</param>
    public static IEnumerable<CheckFinding> Of(RuntimeNeeds needs, RuntimeFacts facts, IReadOnlyCollection<string> published)
    {
        foreach (var program in facts.Programs)
        {
            if (program.Fault is { } fault)
            {
                yield return new CheckFinding(
                    FindingKind.ProgramUnreadable, Verdict.Bad, program.Path, $"{program.Path} {fault}", Remedy.Verify);
            }

            if (program.RunsHere == false)
            {
                yield return new CheckFinding(
                    FindingKind.ProgramForeign, Verdict.Bad, program.Path,
                    $"{program.Path} is {program.Architecture}: this machine's processor cannot run it",
                    Advice: "install the release for this machine");
            }
        }

        foreach (var program in facts.Missing)
        {
            yield return new CheckFinding(
                FindingKind.RuntimeUnknown, Verdict.Unknown, program,
                $"{program} is missing, so what it needs is not known", Remedy.Verify);
        }

        foreach (var library in facts.Programs.SelectMany(p => p.Libraries).DistinctBy(l => l.Name))
        {
            if (Library(library, needs, published) is { } finding)
                yield return finding;
        }

        if (needs.Kernel is { } kernel && facts.Kernel is { } runs && runs < kernel)
        {
            yield return new CheckFinding(
                FindingKind.KernelTooOld, Verdict.Bad, "kernel", $"the kernel is {runs}, {kernel} is needed", Advice: "update the system");
        }

        if (needs.Libc is { } libc && facts.Libc is { } has && has < libc)
        {
            yield return new CheckFinding(
                FindingKind.LibcTooOld, Verdict.Bad, "libc", $"the C library is {has}, {libc} is needed", Advice: "update the system");
        }

        foreach (var (driver, version) in needs.Drivers)
        {
            if (!facts.Drivers.TryGetValue(driver, out var loaded))
            {
                yield return new CheckFinding(
                    FindingKind.DriverAbsent, Verdict.Unknown, driver, $"the driver's module {driver} is not loaded",
                    Advice: $"if this machine has the hardware for it, install the driver {driver}");
            }
            else if (loaded is not null && loaded < version)
            {
                yield return new CheckFinding(
                    FindingKind.DriverTooOld, Verdict.Bad, driver, $"the driver {driver} is {loaded}, {version} is needed",
                    Advice: $"update the driver {driver}");
            }
        }

        if (Unknown(needs, facts) is { Count: > 0 } unknown)
        {
            yield return new CheckFinding(
                FindingKind.RuntimeUnknown, Verdict.Unknown, "runtime", $"{string.Join(", ", unknown)} could not be told");
        }
    }

    private static CheckFinding? Library(LibraryFact library, RuntimeNeeds needs, IReadOnlyCollection<string> published)
    {
        var by = PathBytes.Shown(Path.GetFileName(library.NeededBy));
        var name = PathBytes.Shown(library.Name);
        if (library.TooOld is { Count: > 0 } versions)
        {
            return Obtainable(
                FindingKind.LibraryTooOld, library,
                $"{name} is too old: {by} needs {string.Join(", ", versions.Select(PathBytes.Shown))}, and "
                + $"{PathBytes.Shown(library.FoundAt!)} does not have it", needs, published);
        }

        if (library.FoundAt is not null)
            return null;
        return library.Foreign is { } foreign
            ? Obtainable(
            FindingKind.LibraryForeign, library, $"{name} is of the wrong architecture for {by}: {PathBytes.Shown(foreign)}",
            needs, published)
            : Obtainable(FindingKind.LibraryMissing, library, $"{name} is missing, {by} needs it", needs, published);
    }

    /// <summary>
    /// Who brings a library: the product itself, a package of the system, or its vendor. Never a place that gives away single libraries.
    /// </summary>
    private static CheckFinding Obtainable(
        FindingKind kind, LibraryFact library, string seen, RuntimeNeeds needs, IReadOnlyCollection<string> published)
    {
        if (published.Any(p => string.Equals(Path.GetFileName(p), library.Name, StringComparison.OrdinalIgnoreCase)))
            return new CheckFinding(kind, Verdict.Bad, library.Name, seen, Remedy.Repair);
        return new CheckFinding(kind, Verdict.Bad, library.Name, seen, Advice: needs.Packages.TryGetValue(library.Name, out var package)
            ? $"install the package {package} with the system's package manager"
            : "install the system's package that brings it, never a single library from elsewhere");
    }

    private static List<string> Unknown(RuntimeNeeds needs, RuntimeFacts facts)
    {
        var unknown = needs.Drivers.Keys.Where(d => facts.Drivers.TryGetValue(d, out var version) && version is null)
            .Select(d => $"the version of the driver {d}").ToList();
        if (needs.Kernel is not null && facts.Kernel is null)
            unknown.Add("the kernel");
        if (needs.Libc is not null && facts.Libc is null)
            unknown.Add("the C library");
        return unknown;
    }
}
