using Mukta.Disk;
using Mukta.Host.Runtime;
using Mukta.Manifests;

namespace Mukta.Drafting;

/// <summary>A program in an install.</summary>
/// <param name="Path">Relative to the install.</param>
/// <param name="Size">Bytes.</param>
/// <param name="Elf">What it says to the loader; null for a program of another kind.</param>
/// <param name="Kind">What it is, in words.</param>
internal sealed record ProgramFile(string Path, long Size, ElfFile? Elf, string Kind)
{
    private static readonly string[] SetupWords = ["setup", "install", "uninstall", "remover"];

    public string Name => System.IO.Path.GetFileName(Path);

    /// <summary>Its name without the ending of a program for another system.</summary>
    public string Stem => Name.EndsWith(".exe", StringComparison.OrdinalIgnoreCase) ? Name[..^4] : Name;

    public bool IsSetup => SetupWords.Any(w => Name.Contains(w, StringComparison.OrdinalIgnoreCase));

    public bool IsScript => Kind == Script;

    public const string Script = "a script";
}

/// <summary>What an install holds, as far as a draft needs it.</summary>
internal sealed class InstallContents
{
    private InstallContents(
        IReadOnlyList<ProgramFile> programs, IReadOnlyList<ElfFile> libraries, IReadOnlyDictionary<string, int> folders,
        IReadOnlyList<string> strays)
    {
        (Programs, Libraries, Folders, Strays) = (programs, libraries, folders, strays);
    }

    /// <summary>Programs, the largest first.</summary>
    public IReadOnlyList<ProgramFile> Programs { get; }

    public IReadOnlyList<ElfFile> Libraries { get; }

    /// <summary>The folders at the top, and how many files each holds; the empty name stands for files at the top.</summary>
    public IReadOnlyDictionary<string, int> Folders { get; }

    /// <summary>Folders that hold files of which the manifest knows none.</summary>
    public IReadOnlyList<string> Strays { get; }

    /// <summary>Looks through an install.</summary>
    /// <param name="install">The folder.</param>
    /// <param name="manifest">The list of its files; null if there is none.</param>
    /// <param name="cancel">Ends the look.</param>
    public static InstallContents Of(Folder install, Manifest? manifest, CancellationToken cancel)
    {
        var (programs, libraries) = (new List<ProgramFile>(), new List<ElfFile>());
        var (folders, strays) = (new SortedDictionary<string, int>(StringComparer.Ordinal), new SortedSet<string>(StringComparer.Ordinal));
        var published = manifest?.Files.Select(f => Folder.ParentOf(f.Path)).SelectMany(WithParents).ToHashSet(StringComparer.Ordinal);
        foreach (var (path, node, _) in TreeWalk.Entries(install, p => p == OwnFolder.Name, cancel))
        {
            if (node is { Kind: NodeKind.Folder } && published?.Contains(path) == false && !strays.Any(s => IsBelow(path, s)))
                strays.Add(path);
            if (node is not { Kind: NodeKind.File } file || strays.Any(s => IsBelow(path, s)))
                continue;
            var top = path.IndexOf('/', StringComparison.Ordinal) is var slash && slash < 0 ? "" : path[..slash];
            folders[top] = folders.GetValueOrDefault(top) + 1;
            if (IsLibrary(path) && Elf(install, path) is { } library)
                libraries.Add(library);
            else if (Program(install, path, file) is { } program)
                programs.Add(program);
        }

        return new InstallContents([.. programs.OrderByDescending(p => p.Size).ThenBy(p => p.Path, StringComparer.Ordinal)],
            libraries, folders, [.. strays]);
    }

    private static bool IsBelow(string path, string folder) => path.StartsWith(folder + "/", StringComparison.Ordinal);

    private static IEnumerable<string> WithParents(string folder)
    {
        for (var at = folder; at.Length > 0; at = Folder.ParentOf(at))
            yield return at;
    }

    private static bool IsLibrary(string path) => Path.GetFileName(path) is var name
        && (name.EndsWith(".so", StringComparison.Ordinal) || name.Contains(".so.", StringComparison.Ordinal));

    private static ProgramFile? Program(Folder install, string path, Node file)
    {
        if (path.EndsWith(".exe", StringComparison.OrdinalIgnoreCase))
            return Begins(install, path, "MZ"u8) ? new ProgramFile(path, file.Size, null, "a program for another system (PE)") : null;
        if ((file.Mode & 0b001_001_001) == 0 || IsLibrary(path))
            return null;
        return Elf(install, path) is { } elf ? new ProgramFile(path, file.Size, elf, $"an ELF program, {elf.Architecture}")
            : Begins(install, path, "#!"u8) ? new ProgramFile(path, file.Size, null, ProgramFile.Script) : null;
    }

    private static ElfFile? Elf(Folder install, string path)
    {
        try
        {
            using var file = install.OpenRead(path);
            return ElfFile.IsElf(file) ? ElfFile.Read(file) : null;
        }
        catch (Exception e) when (e is IOException or MuktaException or FormatException or OverflowException)
        {
            return null; // Damaged, or not to be read: then it says nothing.
        }
    }

    private static bool Begins(Folder install, string path, ReadOnlySpan<byte> with)
    {
        try
        {
            using var file = install.OpenRead(path);
            Span<byte> start = stackalloc byte[with.Length];
            return RandomAccess.Read(file, start, 0) == with.Length && start.SequenceEqual(with);
        }
        catch (Exception e) when (e is IOException or MuktaException)
        {
            return false;
        }
    }
}
