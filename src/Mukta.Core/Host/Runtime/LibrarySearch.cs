using Mukta.Disk;

namespace Mukta.Host.Runtime;

/// <summary>What the loader would make of a library that something needs.</summary>
/// <param name="Name">The library.</param>
/// <param name="NeededBy">The program or library that needs it, as a path of its machine.</param>
/// <param name="FoundAt">Where the loader would take it from; null if it would find none that fits.</param>
/// <param name="Foreign">One of this name that was skipped, with its architecture; null if there was none.</param>
/// <param name="TooOld">Versions that are needed of it and that it does not define.</param>
public sealed record LibraryFact(
    string Name, string NeededBy, string? FoundAt, string? Foreign = null, IReadOnlyList<string>? TooOld = null);

/// <summary>
/// Looks for libraries as the GNU loader does (ld.so(8)): DT_RPATH, LD_LIBRARY_PATH, DT_RUNPATH, the cache, the usual
/// folders; one of another class or machine is skipped.
/// </summary>
/// <param name="machine">The machine.</param>
public sealed class LibrarySearch(Machine machine)
{
    private const int MostLibraries = 4096;
    private readonly Dictionary<string, ElfFile?> files = new(StringComparer.Ordinal);
    private readonly Lazy<ILookup<string, string>> cache = new(() => ReadCache(machine));

    private sealed record Loaded(string Path, ElfFile Elf, Loaded? By);

    /// <summary>Everything that a program needs, and what of it cannot be had.</summary>
    /// <param name="path">The program, as a path of its machine.</param>
    /// <param name="program">What it says of itself.</param>
    /// <param name="libraryPath">LD_LIBRARY_PATH as the shortcut sets it; empty for none.</param>
    public IReadOnlyList<LibraryFact> Of(string path, ElfFile program, string libraryPath)
    {
        var facts = new Dictionary<string, LibraryFact>(StringComparer.Ordinal);
        var queue = new Queue<Loaded>([new Loaded(path, program, null)]);
        if (program.Interpreter is { } loader && !File.Exists(Real(loader)))
            facts.Add(loader, new LibraryFact(loader, path, null));
        while (queue.TryDequeue(out var by) && facts.Count < MostLibraries)
        {
            foreach (var name in by.Elf.Libraries)
            {
                if (facts.ContainsKey(name))
                    continue;
                var (fact, elf) = Find(name, by, program, libraryPath);
                facts.Add(name, fact);
                if (elf is not null)
                    queue.Enqueue(new Loaded(fact.FoundAt!, elf, by));
            }

            foreach (var old in by.Elf.VersionsNeeded.Where(v => !v.IsWeak && Lacks(facts, v)).GroupBy(v => v.Library))
            {
                facts[old.Key] = facts[old.Key] with
                {
                    TooOld = [.. (facts[old.Key].TooOld ?? []).Union(old.Select(o => o.Version))],
                    NeededBy = by.Path,
                };
            }
        }

        return [.. facts.Values];
    }

    /// <summary>
    /// The version of the C library, such as 2.36; null if there is none of the GNU kind. It is what the library says of itself: one
    /// that brings no new symbols, as 2.31 does, defines only versions before its own.
    /// </summary>
    /// <param name="like">A program of the wanted architecture.</param>
    public Version? Libc(ElfFile like)
    {
        var path = Candidates("libc.so.6", new Loaded("/", like, null), like, "").FirstOrDefault(c => Open(c)?.Fits(like) == true);
        if (path is null)
            return null;
        var defined = Open(path)!.VersionsDefined.Where(v => v.StartsWith("GLIBC_2", StringComparison.Ordinal))
            .Select(v => Version.TryParse(v.AsSpan(6), out var version) ? version : null).Max();
        return defined is null ? null : new[] { defined, Announced(path) }.Max();
    }

    /// <summary>
    /// The version in the C library's own words, such as "GNU C Library (...) stable release version 2.31."; null if it has none.
    /// </summary>
    private Version? Announced(string path)
    {
        const int Longest = 32 << 20, LongestLine = 300;
        try
        {
            using var file = InputFile.Open(Real(path), Longest);
            var bytes = new byte[file.Length];
            file.ReadExactly(bytes);
            if (bytes.AsSpan().IndexOf("GNU C Library "u8) is not (>= 0 and var at))
                return null;
            var line = System.Text.Encoding.ASCII.GetString(bytes.AsSpan(at, Math.Min(LongestLine, bytes.Length - at)));
            var start = line.IndexOf(Release, StringComparison.Ordinal);
            var told = start < 0 ? "" : line[(start + Release.Length)..];
            return Version.TryParse(new string([.. told.TakeWhile(c => char.IsAsciiDigit(c) || c == '.')]).TrimEnd('.'), out var version)
                ? version : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return null;
        }
    }

    private const string Release = "release version ";

    private (LibraryFact Fact, ElfFile? Elf) Find(string name, Loaded by, ElfFile program, string libraryPath)
    {
        string? foreign = null;
        foreach (var candidate in Candidates(name, by, program, libraryPath))
        {
            if (Open(candidate) is not { } elf)
                continue;
            if (elf.Fits(program))
                return (new LibraryFact(name, by.Path, candidate), elf);
            foreign ??= $"{Path.GetFullPath(candidate)} is {elf.Architecture}";
        }

        return (new LibraryFact(name, by.Path, null, foreign), null);
    }

    private IEnumerable<string> Candidates(string name, Loaded by, ElfFile program, string libraryPath)
    {
        if (name.Contains('/', StringComparison.Ordinal))
        {
            return [Expanded(name, by.Path, program) is var path && Path.IsPathRooted(path) ? path
                : Path.Join(Path.GetDirectoryName(by.Path), path)];
        }

        var folders = new List<string>();
        for (var loader = by.Elf.RunPath.Count > 0 ? null : by; loader is not null; loader = loader.By)
        {
            if (loader.Elf.RunPath.Count == 0)
                folders.AddRange(loader.Elf.RPath.Select(f => Expanded(f, loader.Path, program)));
        }

        folders.AddRange(libraryPath.Split([':', ';'], StringSplitOptions.RemoveEmptyEntries).Select(f => Expanded(f, by.Path, program)));
        folders.AddRange(by.Elf.RunPath.Select(f => Expanded(f, by.Path, program)));
        var named = folders.Select(f => Path.Join(f, name));
        return by.Elf.WithoutUsualFolders ? named
            : named.Concat(cache.Value[name]).Concat(UsualFolders(program).Select(f => Path.Join(f, name)));
    }

    /// <summary>A folder with $ORIGIN, $LIB and $PLATFORM replaced ("Dynamic string tokens" in ld.so(8)).</summary>
    private string Expanded(string folder, string by, ElfFile program)
    {
        var origin = Path.GetDirectoryName(machine.NameOf(Real(by))) ?? "/";
        return new[]
        {
            ("ORIGIN", origin),
            ("LIB", program.Is64 ? "lib64" : "lib"),
            ("PLATFORM", program.Machine == 62 ? "x86_64" : "i686"),
        }
            .Aggregate(
            folder, (text, token) => text.Replace($"${{{token.Item1}}}", token.Item2, StringComparison.Ordinal)
            .Replace($"${token.Item1}", token.Item2, StringComparison.Ordinal));
    }

    private static IEnumerable<string> UsualFolders(ElfFile like)
    {
        var triplet =
            (like.Machine, like.Is64) switch
            {
                (62, true) => "x86_64-linux-gnu",
                (3, _) => "i386-linux-gnu",
                (183, _) => "aarch64-linux-gnu",
                (40, _) => "arm-linux-gnueabihf",
                _ => null
            };
        string[] folders = like.Is64 ? ["/lib64", "/usr/lib64", "/lib", "/usr/lib"] : ["/lib32", "/usr/lib32", "/lib", "/usr/lib"];
        return triplet is null ? folders : folders.Prepend($"/usr/lib/{triplet}").Prepend($"/lib/{triplet}");
    }

    /// <summary>
    /// True if a library was found that defines versions, but not this one. One that defines none is taken as it is, as the loader does.
    /// </summary>
    private bool Lacks(Dictionary<string, LibraryFact> facts, VersionNeed need) =>
        facts.GetValueOrDefault(need.Library)?.FoundAt is { } at && Open(at) is { VersionsDefined: { Count: > 0 } defined }
        && !defined.Contains(need.Version);

    private ElfFile? Open(string path)
    {
        if (files.TryGetValue(path, out var known))
            return known;
        ElfFile? elf = null;
        try
        {
            using var file = InputFile.Open(Real(path), InputFile.AnyLength);
            elf = ElfFile.IsElf(file.SafeFileHandle) ? ElfFile.Read(file.SafeFileHandle) : null;
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException or FormatException or OverflowException)
        {
            // What cannot be opened, the loader passes over as well.
        }

        return files[path] = elf;
    }

    /// <summary>A path of the machine as it can be opened here.</summary>
    private string Real(string path) => machine.IsLive
        ? new FileInfo(path).ResolveLinkTarget(returnFinalTarget: true)?.FullName ?? path
        : Folder.ResolvedIn(machine.Root, machine.At(path)) ?? machine.At(path);

    private static ILookup<string, string> ReadCache(Machine machine)
    {
        try
        {
            using var file = InputFile.Open(machine.At("/etc/ld.so.cache"), InputFile.AnyLength);
            return LibraryCache.Read(file.SafeFileHandle);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            return Array.Empty<string>().ToLookup(p => p);
        }
    }
}
