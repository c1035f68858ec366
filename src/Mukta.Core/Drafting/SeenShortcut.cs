using Mukta.Disk;
using Mukta.Host.Shortcuts;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Drafting;

/// <summary>A shortcut that starts a product, or that the user has named.</summary>
/// <param name="Path">The <c>.desktop</c> file.</param>
/// <param name="File">What it says.</param>
/// <param name="Exec">What it starts.</param>
/// <param name="Program">The program, relative to the install; null for one outside of it.</param>
internal sealed record SeenShortcut(string Path, DesktopEntry File, ExecLine Exec, string? Program)
{
    /// <summary>The shortcuts of an install in the usual folders, and those that the user names.</summary>
    /// <exception cref="MuktaException">One that the user names cannot be used.</exception>
    public static List<SeenShortcut> Find(DraftRequest request, DraftPlaces places)
    {
        var found = new List<SeenShortcut>();
        foreach (var path in UsualFolders(request).Where(Directory.Exists)
            .SelectMany(f => Directory.EnumerateFiles(f, "*.desktop").Order(StringComparer.Ordinal)))
        {
            if (DesktopEntry.ReadFile(path, out _) is { Exec: { } exec } entry && InInstall(request, exec) is { } program)
                found.Add(new SeenShortcut(path, entry, exec, program));
        }

        foreach (var path in request.Shortcuts.Select(System.IO.Path.GetFullPath).Where(p => found.All(f => f.Path != p)))
        {
            var entry = DesktopEntry.ReadFile(path, out var fault);
            if (entry?.Exec is not { } exec || !MayBeNamed(places, path))
            {
                fault ??= entry?.Exec is null ? "starts nothing" : "does not lie in an applications or autostart folder";
                throw new MuktaException(
                    ExitCode.BadInput, $"This shortcut cannot be used: it {fault}.", path, "Name a .desktop file that starts the product.");
            }

            found.Add(new SeenShortcut(path, entry, exec, InInstall(request, exec)));
        }

        return [.. found.Where(f => MayBeNamed(places, f.Path))];
    }

    /// <summary>Drafts what a profile says of shortcuts.</summary>
    public static DraftList Draft(IReadOnlyList<SeenShortcut> shortcuts, ProgramFile? main, DraftPlaces places) =>
        new([.. shortcuts.Where(s => s.Program is not null || main is not null).Select(s => s.Draft(main, places))]);

    private DraftMap Draft(ProgramFile? main, DraftPlaces places)
    {
        var draft = new DraftMap();
        draft.Add("entry", places.Pattern(Path), DraftTrust.Seen, Program is null ? "it was named" : "it starts a program of the install");
        if (Program is not null && ManifestPath.Fault(Program) is null)
            draft.Add("program", Program, DraftTrust.Seen, "what it starts");
        else if (main is not null)
            draft.Add("program", main.Path, DraftTrust.Check, $"the shortcut starts {Exec.Program}");
        var (arguments, environment) = (Exec.Arguments.Where(a => IsPlain(a) && !(a.Length == 2 && a[0] == '%')), new DraftMap());
        draft.Add("arguments", new DraftList(
            [.. arguments.Select(a => DraftText.Of(a, DraftTrust.Check, "perhaps only this user's choice"))]));
        foreach (var (name, value) in Exec.Environment.Where(e => IsPlain(e.Value)))
            environment.Add(name, value, DraftTrust.Check, "perhaps only this user's choice");
        draft.Add("environment", environment);
        if (File.Get("Path") is { Length: > 0 } folder && System.IO.Path.IsPathRooted(folder)
            && DraftPlaces.IsLiteral(folder) && places.Pattern(Folder.RealPathOf(places.Machine.At(folder))) is var pattern
            && PathPattern.Parse(pattern, out _) is not null)
            draft.Add("folder", pattern, DraftTrust.Seen, "its working folder");
        return draft;
    }

    private static string[] UsualFolders(DraftRequest request) =>
    [
        System.IO.Path.Join(request.Machine.Folders.Data, "applications"), System.IO.Path.Join(request.Machine.Folders.Config, "autostart"),
        request.Machine.At("/usr/local/share/applications"), request.Machine.At("/usr/share/applications"),
    ];

    private static string? InInstall(DraftRequest request, ExecLine exec) =>
        System.IO.Path.IsPathRooted(exec.Program) ? DraftPlaces.Inside(request.Machine.At(exec.Program), request.Install) : null;

    private static bool MayBeNamed(DraftPlaces places, string path) =>
        DraftPlaces.IsLiteral(path) && PathPattern.Parse(places.Pattern(path), out _) is { } pattern
        && ProductPlaces.FaultOfShortcut(pattern) is null;

    private static bool IsPlain(string text) =>
        text.Length > 0 && !text.Any(char.IsControl) && !text.Contains("${", StringComparison.Ordinal);
}
