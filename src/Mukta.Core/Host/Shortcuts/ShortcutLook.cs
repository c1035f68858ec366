using Mukta.Products;

namespace Mukta.Host.Shortcuts;

/// <summary>Reads the shortcuts of a product.</summary>
/// <param name="machine">The machine.</param>
public sealed class ShortcutLook(Machine machine)
{
    private const int MostOthers = 2000;

    /// <summary>
    /// The entries that the profile names, and then others in their folders that start something of this product that is gone.
    /// </summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install.</param>
    public IReadOnlyList<Shortcut> At(Profile profile, string install)
    {
        var entries = profile.With(v => machine.NameOf(machine.Folders.FolderOf(v, install))).Shortcuts
            .SelectMany(asked => Places(asked.Entry, install).Select(path => Read(path, asked, install))).ToList();
        var known = entries.Select(e => e.Path).ToHashSet(StringComparer.Ordinal);
        var owned = profile.Installs.Places.Select(Beginning).Append(machine.NameOf(install)).Select(p => p.TrimEnd('/')).ToList();
        foreach (var folder in known.Select(p => System.IO.Path.GetDirectoryName(p)!).Distinct().Where(Directory.Exists).ToList())
        {
            foreach (var path in Directory.EnumerateFiles(folder, "*.desktop").Take(MostOthers).Where(p => !known.Contains(p))
                .Order(StringComparer.Ordinal))
            {
                if (Read(path, null, install) is { Entry.Exec.Program: var program, ProgramIsThere: false } entry
                    && owned.Any(o => program == o || program.StartsWith(o + "/", StringComparison.Ordinal)))
                    entries.Add(entry);
            }
        }

        return entries;
    }

    private IEnumerable<string> Places(PathPattern pattern, string install) =>
        machine.Folders.PathOf(pattern, install) is { } only ? [only] : machine.Folders.At(pattern, install);

    private Shortcut Read(string path, ShortcutExpectation? asked, string install)
    {
        string? fault = null;
        var entry = Path.Exists(path) || new FileInfo(path).LinkTarget is not null ? DesktopEntry.ReadFile(path, out fault) : null;
        var blocked = asked is null ? null : ProductPlaces.FaultAt(path, asked.Entry, machine.Folders, install, PlaceUse.Shortcut);
        var folder = asked?.Folder is { } pattern ? machine.Folders.PathOf(pattern, install) : null;
        return new Shortcut(
            path, asked, machine.NameOf(Path.Join(install, asked?.Program)), folder is null ? null : machine.NameOf(folder), entry,
            blocked ?? fault)
        {
            IsBlocked = blocked is not null,
            ProgramIsThere = entry?.Exec?.Program is { } program && File.Exists(machine.At(program)),
            FolderIsThere = entry?.Get("Path") is not { Length: > 0 } named || Directory.Exists(machine.At(named)),
        };
    }

    /// <summary>The part of a pattern before its first wildcard, as the machine names it.</summary>
    private string Beginning(PathPattern pattern)
    {
        var end = pattern.Segments.TakeWhile(s => s.IndexOfAny(['*', '?']) < 0).Count();
        var text = $"{(pattern.Variable is null ? "" : $"${{{pattern.Variable}}}")}/{string.Join('/', pattern.Segments.Take(end))}";
        return machine.NameOf(machine.Folders.PathOf(PathPattern.Parse(text, out _) ?? pattern) ?? "/nowhere");
    }
}
