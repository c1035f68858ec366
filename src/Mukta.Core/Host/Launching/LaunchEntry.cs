using Mukta.Disk;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Host.Launching;

/// <summary>A launch entry as it stands, beside what the profile asks for. All paths are as its own machine names them.</summary>
/// <param name="Path">The <c>.desktop</c> file, as seen from here.</param>
/// <param name="Asked">What the profile asks for; null for an entry that the profile does not name.</param>
/// <param name="Program">The program that it should start.</param>
/// <param name="Folder">The working folder that it should have; null for any.</param>
/// <param name="Entry">What it says; null where it is not there or cannot be read.</param>
/// <param name="Fault">Why it cannot be read; null where it is not there.</param>
public sealed record LaunchEntry(string Path, LaunchExpectation? Asked, string Program, string? Folder, DesktopEntry? Entry, string? Fault)
{
    /// <summary>True where the program that it starts is there.</summary>
    public bool ProgramIsThere { get; init; } = true;

    /// <summary>True where the working folder that it names is there.</summary>
    public bool FolderIsThere { get; init; } = true;
}

/// <summary>Reads the launch entries of a product.</summary>
/// <param name="machine">The machine.</param>
public sealed class LaunchLook(Machine machine)
{
    private const int MostOthers = 2000;

    /// <summary>The entries that the profile names, and then others in their folders that start something of this product that is gone.</summary>
    /// <param name="profile">The product.</param>
    /// <param name="install">Its install.</param>
    public IReadOnlyList<LaunchEntry> At(Profile profile, string install)
    {
        var entries = profile.Launch.SelectMany(asked => Places(asked.Entry, install).Select(path => Read(path, asked, install))).ToList();
        var known = entries.Select(e => e.Path).ToHashSet(StringComparer.Ordinal);
        var owned = profile.Installs.Places.Select(Beginning).Append(machine.NameOf(install)).Select(p => p.TrimEnd('/')).ToList();
        foreach (var folder in known.Select(p => System.IO.Path.GetDirectoryName(p)!).Distinct().Where(Directory.Exists).ToList())
        {
            foreach (var path in Directory.EnumerateFiles(folder, "*.desktop").Take(MostOthers).Where(p => !known.Contains(p)).Order(StringComparer.Ordinal))
            {
                if (Read(path, null, install) is { Entry.Exec.Program: var program, ProgramIsThere: false } entry && owned.Any(o => program == o || program.StartsWith(o + "/", StringComparison.Ordinal)))
                    entries.Add(entry);
            }
        }

        return entries;
    }

    private IEnumerable<string> Places(PathPattern pattern, string install) =>
        machine.Folders.PathOf(pattern, install) is { } only ? [only] : machine.Folders.At(pattern, install);

    private LaunchEntry Read(string path, LaunchExpectation? asked, string install)
    {
        string? fault = null;
        var entry = Path.Exists(path) || new FileInfo(path).LinkTarget is not null ? DesktopEntry.ReadFile(path, out fault) : null;
        var folder = asked?.Folder is { } pattern ? machine.Folders.PathOf(pattern, install) : null;
        return new LaunchEntry(path, asked, machine.NameOf(Path.Join(install, asked?.Program)), folder is null ? null : machine.NameOf(folder), entry, fault)
        {
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

/// <summary>What is wrong with a product's launch entries, and how they should read. Pure.</summary>
public static class LaunchFindings
{
    /// <summary>Compares entries with what the profile asks for.</summary>
    public static IEnumerable<CheckFinding> Of(IEnumerable<LaunchEntry> entries) => entries.SelectMany(Of);

    /// <summary>The text that an entry should have: what the profile asks for is put in, what the user added stays. Null where it is right already, or is to go.</summary>
    /// <param name="entry">The entry.</param>
    /// <param name="title">The product's name, for an entry that is made anew.</param>
    public static string? Restored(LaunchEntry entry, string title)
    {
        if (entry.Asked is not { } asked || !Of(entry).Any())
            return null;
        var old = entry.Entry ?? DesktopEntry.New(title);
        var exec = old.Exec;
        var environment = (exec?.Environment ?? []).Where(e => !asked.Environment.ContainsKey(e.Key)).Concat(asked.Environment);
        var missing = asked.Arguments.Where(a => exec?.Arguments.Contains(a) != true);
        var restored = old.With("Exec", new ExecLine([.. environment], entry.Program, [.. missing, .. exec?.Arguments ?? []]).ToString()).With("Hidden", null);
        if (entry.Folder is not null)
            restored = restored.With("Path", entry.Folder);
        else if (!entry.FolderIsThere)
            restored = restored.With("Path", null);
        return (old.Get("TryExec") is null ? restored : restored.With("TryExec", entry.Program)).Text;
    }

    private static IEnumerable<CheckFinding> Of(LaunchEntry entry)
    {
        var name = PathBytes.Shown(Path.GetFileName(entry.Path));
        CheckFinding Found(FindingKind kind, string seen, Verdict verdict = Verdict.Bad) => new(kind, verdict, entry.Path, $"{name} {seen}", Remedy.RestoreLaunch);
        if (entry.Asked is not { } asked)
            return [Found(FindingKind.LaunchStale, $"starts {PathBytes.Shown(entry.Entry!.Exec!.Program)}, which was removed", Verdict.Attention)];
        if (entry.Fault is { } fault)
            return [Found(FindingKind.LaunchUnreadable, fault)];
        if (entry.Entry is null)
            return [Found(FindingKind.LaunchAbsent, "is not there")];
        if (entry.Entry.Exec is not { } exec)
            return [Found(FindingKind.LaunchProgram, "says nothing that could be started")];
        var found = new List<CheckFinding>();
        if (exec.Program != entry.Program)
            found.Add(Found(FindingKind.LaunchProgram, $"starts {PathBytes.Shown(exec.Program)}{(entry.ProgramIsThere ? ", another program" : ", which is not there")}", entry.ProgramIsThere ? Verdict.Attention : Verdict.Bad));
        if (asked.Arguments.Where(a => !exec.Arguments.Contains(a)).ToList() is { Count: > 0 } missing)
            found.Add(Found(FindingKind.LaunchArguments, $"lacks {string.Join(' ', missing)}"));
        if (asked.Environment.Where(e => exec.Variable(e.Key) != e.Value).Select(e => $"{e.Key}={e.Value}").ToList() is { Count: > 0 } unset)
            found.Add(Found(FindingKind.LaunchEnvironment, $"does not set {string.Join(' ', unset)}"));
        if (!entry.FolderIsThere || (entry.Folder is not null && entry.Entry.Get("Path") != entry.Folder))
            found.Add(Found(FindingKind.LaunchFolder, $"works in {PathBytes.Shown(entry.Entry.Get("Path") ?? "the home")}{(entry.FolderIsThere ? "" : ", which is not there")}", entry.FolderIsThere ? Verdict.Attention : Verdict.Bad));
        if (entry.Entry.Get("Hidden") == "true")
            found.Add(Found(FindingKind.LaunchHidden, "is hidden: the menu treats it as deleted"));
        return found;
    }
}
