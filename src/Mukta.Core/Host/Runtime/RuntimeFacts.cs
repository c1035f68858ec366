using System.Globalization;
using Mukta.Disk;
using Mukta.Products;

namespace Mukta.Host.Runtime;

/// <summary>A program of a product, and what it needs.</summary>
/// <param name="Path">Relative to the install.</param>
/// <param name="Fault">Why it could not be read as a program; null if it could.</param>
/// <param name="Architecture">The processor and width that it is for, in words.</param>
/// <param name="RunsHere">False if this machine's processor cannot run it; null if that is not known.</param>
/// <param name="Libraries">The libraries that it needs, found or not.</param>
public sealed record ProgramFacts(string Path, string? Fault, string? Architecture, bool? RunsHere, IReadOnlyList<LibraryFact> Libraries);

/// <summary>What a product finds on its machine.</summary>
/// <param name="Programs">Its programs that are there.</param>
/// <param name="Missing">The paths of those that are not, relative to the install.</param>
/// <param name="Kernel">The kernel's version; null if the machine is not running.</param>
/// <param name="Libc">The C library's version; null if no program tells which one counts.</param>
/// <param name="Drivers">The versions of the loaded kernel modules that the profile asks about; null for one that is loaded and does not
/// tell.</param>
public sealed record RuntimeFacts(
    IReadOnlyList<ProgramFacts> Programs, IReadOnlyList<string> Missing, Version? Kernel, Version? Libc,
    IReadOnlyDictionary<string, Version?> Drivers)
{
    /// <summary>Looks at the machine.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="needs">From the profile.</param>
    /// <param name="install">The product's install.</param>
    /// <param name="libraryPath">LD_LIBRARY_PATH as the shortcut sets it; empty for none.</param>
    public static RuntimeFacts Of(Machine machine, RuntimeNeeds needs, string install, string libraryPath)
    {
        var search = new LibrarySearch(machine);
        ElfFile? first = null;
        var programs = new List<ProgramFacts>();
        var missing = needs.Programs.Where(p => !File.Exists(System.IO.Path.Join(install, p))).ToList();
        foreach (var program in needs.Programs.Except(missing))
        {
            var (facts, elf) = Read(machine, search, needs, install, program, libraryPath);
            programs.Add(facts);
            first ??= elf;
        }

        var drivers = machine.IsLive ? needs.Drivers.Keys.Where(d => Directory.Exists($"/sys/module/{d}"))
            .ToDictionary(d => d, DriverVersion, StringComparer.Ordinal) : [];
        return new RuntimeFacts(
            programs, missing, machine.IsLive ? Parsed(File.ReadAllText("/proc/sys/kernel/osrelease")) : null,
            first is null ? null : search.Libc(first), drivers);
    }

    /// <summary>The numbers at the beginning of a version such as 6.1.0-28-amd64; null if there are none.</summary>
    internal static Version? Parsed(string text)
    {
        var numbers = text.Trim().Split('.', '-', '+', '_', ' ')
            .TakeWhile(p => int.TryParse(p, NumberStyles.None, CultureInfo.InvariantCulture, out _)).Take(3).ToList();
        return numbers.Count == 0 ? null : Version.Parse(string.Join('.', numbers.Count == 1 ? [numbers[0], "0"] : numbers));
    }

    private static (ProgramFacts Facts, ElfFile? Elf) Read(
        Machine machine, LibrarySearch search, RuntimeNeeds needs, string install, string program, string libraryPath)
    {
        var path = System.IO.Path.Join(install, program);
        try
        {
            using var opened = InputFile.Open(path, InputFile.AnyLength);
            var file = opened.SafeFileHandle;
            if (PeFile.IsPe(file))
                return (LayerLibraries.Of(machine, needs, install, program, PeFile.Read(file)), null);
            if (!ElfFile.IsElf(file))
            {
                return (new ProgramFacts(program, IsScript(file) ? null : "is no program that this system knows", "a script", null, []),
                    null);
            }

            var elf = ElfFile.Read(file);
            return (new ProgramFacts(
                program, null, elf.Architecture, machine.IsLive ? RunsHereAs(elf) : null,
                search.Of(machine.NameOf(path), elf, libraryPath)), elf);
        }
        catch (Exception e) when (e is FormatException or OverflowException)
        {
            return (new ProgramFacts(
                program, $"is damaged: {(e is FormatException ? e.Message : "it points beyond its own end")}", null, null, []), null);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return (new ProgramFacts(program, e is DiskException { IsAbsent: true } ? "is not there" : "cannot be read", null, null, []),
                null);
        }
    }

    private static bool RunsHereAs(ElfFile elf) => System.Runtime.InteropServices.RuntimeInformation.OSArchitecture switch
    {
        System.Runtime.InteropServices.Architecture.X64 => elf.Machine is 62 or 3,
        System.Runtime.InteropServices.Architecture.Arm64 => elf.Machine is 183 or 40,
        _ => true,
    };

    private static bool IsScript(Microsoft.Win32.SafeHandles.SafeFileHandle file)
    {
        Span<byte> magic = stackalloc byte[2];
        return RandomAccess.Read(file, magic, 0) == 2 && magic.SequenceEqual("#!"u8);
    }

    private static Version? DriverVersion(string module) =>
        File.Exists($"/sys/module/{module}/version") ? Parsed(File.ReadAllText($"/sys/module/{module}/version")) : null;
}

/// <summary>
/// Looks for the libraries of PE programs: next to the program, then in the compatibility layer's folder, whatever the letter case.
/// </summary>
internal static class LayerLibraries
{
    public static ProgramFacts Of(Machine machine, RuntimeNeeds needs, string install, string program, PeFile pe)
    {
        var beside = System.IO.Path.GetDirectoryName(System.IO.Path.Join(install, program))!;
        IReadOnlyList<string> layer = needs.Layer is null ? [] : [.. machine.Folders.FoldersAt(needs.Layer, install)];
        var facts = new Dictionary<string, LibraryFact>(StringComparer.OrdinalIgnoreCase);
        var queue = new Queue<(string Path, PeFile Pe)>([(System.IO.Path.Join(install, program), pe)]);
        while (queue.TryDequeue(out var by))
        {
            foreach (var name in by.Pe.Libraries.Where(n => !IsVirtual(n) && !facts.ContainsKey(n))
                .Distinct(StringComparer.OrdinalIgnoreCase).ToList())
            {
                var found = layer.Prepend(beside).SelectMany(folder => Named(folder, name)).Select(path => (Path: path, Pe: Open(path)))
                    .Where(f => f.Pe is not null).ToList();
                var fitting = found.Find(f => f.Pe!.Machine == pe.Machine);
                facts.Add(
                    name, new LibraryFact(
                    name, by.Path, fitting.Path,
                    fitting.Path is null && found.Count > 0 ? $"{found[0].Path} is {found[0].Pe!.Architecture}" : null));
                if (fitting.Path is not null && System.IO.Path.GetDirectoryName(fitting.Path) == beside)
                    queue.Enqueue((fitting.Path, fitting.Pe!)); // The layer answers for its own.
            }
        }

        return new ProgramFacts(program, null, $"{pe.Architecture}, for a compatibility layer", null, [.. facts.Values]);
    }

    /// <summary>True for names that stand for sets of functions and not for files; every layer resolves them itself.</summary>
    private static bool IsVirtual(string name) =>
        name.StartsWith("api-ms-", StringComparison.OrdinalIgnoreCase) || name.StartsWith("ext-ms-", StringComparison.OrdinalIgnoreCase);

    private static IEnumerable<string> Named(string folder, string name) => Directory.Exists(folder)
        ? Directory.EnumerateFiles(folder)
        .Where(f => string.Equals(System.IO.Path.GetFileName(f), name, StringComparison.OrdinalIgnoreCase))
        : [];

    private static PeFile? Open(string path)
    {
        try
        {
            using var file = InputFile.Open(path, InputFile.AnyLength);
            return PeFile.IsPe(file.SafeFileHandle) ? PeFile.Read(file.SafeFileHandle) : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException or FormatException or OverflowException)
        {
            return null;
        }
    }
}
