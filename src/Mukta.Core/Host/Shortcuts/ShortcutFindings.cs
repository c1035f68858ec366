using Mukta.Disk;
using Mukta.Host.Checks;

namespace Mukta.Host.Shortcuts;

/// <summary>What is wrong with a product's shortcuts, and how they should read. Pure.</summary>
public static class ShortcutFindings
{
    /// <summary>Compares entries with what the profile asks for.</summary>
    public static IEnumerable<CheckFinding> Of(IEnumerable<Shortcut> entries) => entries.SelectMany(Of);

    /// <summary>
    /// The text that an entry should have: what the profile asks for is put in, what the user added stays. Null if it is right already,
    /// or is to go.
    /// </summary>
    /// <param name="entry">The entry.</param>
    /// <param name="title">The product's name, for an entry that is written again.</param>
    public static string? Restored(Shortcut entry, string title)
    {
        if (entry.Asked is not { } asked || entry.IsBlocked || !Of(entry).Any(f => f.Remedy == Remedy.RestoreShortcuts))
            return null;
        var old = entry.Entry ?? DesktopEntry.New(title);
        var exec = old.Exec;
        var environment = (exec?.Environment ?? []).Where(e => !asked.Environment.ContainsKey(e.Key)).Concat(asked.Environment);
        var missing = asked.Arguments.Select(ExecLine.Argument).Where(a => exec?.Arguments.Contains(a) != true);
        var restored = old.With("Exec", new ExecLine([.. environment], entry.Program, [.. missing, .. exec?.Arguments ?? []]).ToString())
            .With("Hidden", null);
        if (entry.Folder is not null)
            restored = restored.With("Path", entry.Folder);
        else if (!entry.FolderIsThere)
            restored = restored.With("Path", null);
        return (old.Get("TryExec") is null ? restored : restored.With("TryExec", entry.Program)).Text;
    }

    private static IEnumerable<CheckFinding> Of(Shortcut entry)
    {
        var name = PathBytes.Shown(Path.GetFileName(entry.Path));
        CheckFinding Found(FindingKind kind, string seen, Verdict verdict = Verdict.Bad) =>
            entry.IsBlocked ? new(kind, verdict, entry.Path, $"{name} {seen}", Advice: "put the folder of shortcuts or the profile right")
            : new(kind, verdict, entry.Path, $"{name} {seen}", Remedy.RestoreShortcuts);
        if (entry.Asked is not { } asked)
        {
            return [Found(
                FindingKind.ShortcutStale, $"starts {PathBytes.Shown(entry.Entry!.Exec!.Program)}, which was removed", Verdict.Warning)];
        }

        if (entry.Fault is { } fault)
            return [Found(FindingKind.ShortcutUnreadable, fault)];
        if (entry.Entry is null)
            return [Found(FindingKind.ShortcutAbsent, "is not there")];
        if (entry.Entry.Exec is not { } exec)
            return [Found(FindingKind.ShortcutProgram, "says nothing that could be started")];
        var found = new List<CheckFinding>();
        if (exec.Program != entry.Program)
        {
            found.Add(Found(
                FindingKind.ShortcutProgram,
                $"starts {PathBytes.Shown(exec.Program)}{(entry.ProgramIsThere ? ", another program" : ", which is not there")}",
                entry.ProgramIsThere ? Verdict.Warning : Verdict.Bad));
        }
        else if (!entry.ProgramIsThere)
        {
            found.Add(new(
                FindingKind.ShortcutProgram, Verdict.Bad, entry.Path, $"{name} starts {PathBytes.Shown(exec.Program)}, which is not there",
                Remedy.Repair));
        }

        if (asked.Arguments.Where(a => !exec.Arguments.Contains(ExecLine.Argument(a))).ToList() is { Count: > 0 } missing)
        {
            var arguments = missing.Count == 1 ? "argument" : "arguments";
            found.Add(Found(FindingKind.ShortcutArguments, $"is missing the {arguments} {string.Join(' ', missing)}"));
        }


        if (asked.Environment.Where(e => exec.Variable(e.Key) != e.Value).Select(e => $"{e.Key}={e.Value}")
            .ToList() is { Count: > 0 } unset)
            found.Add(Found(FindingKind.ShortcutEnvironment, $"does not set {string.Join(' ', unset)}"));
        if (!entry.FolderIsThere || (entry.Folder is not null && entry.Entry.Get("Path") != entry.Folder))
        {
            found.Add(Found(
                FindingKind.ShortcutFolder,
                $"works in {PathBytes.Shown(entry.Entry.Get("Path") ?? "the home")}{(entry.FolderIsThere ? "" : ", which is not there")}",
                entry.FolderIsThere ? Verdict.Warning : Verdict.Bad));
        }

        if (entry.Entry.Get("Hidden") == "true")
            found.Add(Found(FindingKind.ShortcutHidden, "is hidden: the menu treats it as deleted"));
        return found;
    }
}
