using Mukta.Host;
using Mukta.Host.Shortcuts;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Remedies;
using Mukta.Tests;

namespace Mukta.Core.Tests.Repair;

/// <summary>
/// The world ends before every single change that clearing caches and restoring shortcuts make, one after the other.
/// </summary>
public sealed class UserCrashTests
{
    private static readonly DateTime LongAgo = new(2026, 1, 2, 3, 4, 5, DateTimeKind.Utc);

    private static readonly Profile Pier = ProfileReader.Read(new StringReader("""
        format: mukta.profile/1
        product: pier
        title: Pier
        kind: game
        installs: {places: ["${home}/games/pier*"]}
        caches: [{name: pages, places: ["${cache}/pier/pages-*"]}]
        temporary: ["${cache}/pier/part-*"]
        shortcuts:
          - {entry: "${data}/applications/pier.desktop", program: bin/pier}
          - {entry: "${config}/autostart/pier.desktop", program: bin/pier}
        """), "test.yaml");

    [Fact]
    public void After_a_crash_at_any_point_the_same_commands_end_and_undoing_all_brings_everything_back() =>
        CrashPoints.ForEach(() => new Scene(), changes: 114, undoChanges: 116);

    [Fact]
    public void What_was_set_aside_comes_back_though_programs_made_it_anew_between_a_kill_and_the_same_commands() =>
        CrashPoints.MadeAnew(
            () => new Scene(), changes: 114, undoChanges: 116, ".cache/pier/pages-1/a/b", ".cache/pier/part-9",
            ".local/share/applications/pier.desktop", ".local/share/applications/old.desktop");

    /// <summary>A home in which caches are cleared and shortcuts restored.</summary>
    private sealed class Scene : ICrashScene
    {
        private readonly Scratch scratch = Made();

        private Machine Machine => new("/", UserFolders.Of(name => name == "HOME" ? scratch.Root : null));

        public IReadOnlyList<string> Roots => [scratch.Root];

        public List<string> Look() => UserCrashTests.Look(scratch);

        public void Run()
        {
            new ClearCachesRemedy(Guards.TargetOf(Machine, Pier), ["pages", "temporary"], Guards.Tools).Run();
            new RestoreShortcutsRemedy(Guards.TargetOf(Machine, Pier, scratch.At("games/pier")), Guards.Tools).Run();
        }

        public void Check(string after)
        {
            Directory.EnumerateFileSystemEntries(scratch.At(".cache/pier"), "*", SearchOption.AllDirectories)
                .Select(p => Path.GetFileName(p)).Order().ToList()
                .ShouldBe(["pages-1", "pages-2"], ignoreOrder: false, customMessage: after);
            new ShortcutLook(Machine).At(Pier, scratch.At("games/pier")).SelectMany(e => ShortcutFindings.Of([e])).ShouldBeEmpty(after);
        }

        public void Undo() => Undos.All(new OperationCatalog(Machine.Home, TimeProvider.System), []);

        public void UndoTheUndo() => Undos.OfUndos(new OperationCatalog(Machine.Home, TimeProvider.System), []);

        public void Dispose() => scratch.Dispose();
    }

    private static Scratch Made()
    {
        var scratch = new Scratch(inMemory: true);
        scratch.Write("games/pier/bin/pier", "x");
        scratch.Fill(".cache/pier/pages-1/a/b", 1000, 1);
        scratch.Fill(".cache/pier/pages-1/c", 500, 2);
        scratch.Fill(".cache/pier/pages-2/d", 1, 3, Scratch.Program);
        scratch.Fill(".cache/pier/part-9", 70, 5);
        scratch.Write(".local/share/applications/pier.desktop", "[Desktop Entry]\nType=Application\nName=Pier\nExec=/gone/pier --mine\n");
        scratch.Write(
            ".local/share/applications/old.desktop",
            $"[Desktop Entry]\nType=Application\nName=Old\nExec={scratch.At("games/pier-1/bin/pier")}\n");
        Directory.CreateDirectory(scratch.At(".local/state/mukta/kept"));
        foreach (var path in Directory.EnumerateFileSystemEntries(scratch.Root, "*", SearchOption.AllDirectories).Append(scratch.Root))
            File.SetLastWriteTimeUtc(path, LongAgo);
        return scratch;
    }

    /// <summary>Bytes, names, kinds, modes and times of all but Mukta's own state.</summary>
    private static List<string> Look(Scratch scratch) =>
        [.. scratch.Snapshot("").Where(f => !f.Key.StartsWith(".local/state", StringComparison.Ordinal))
        .Select(f => $"{f.Key} {f.Value} {File.GetLastWriteTimeUtc(scratch.At(f.Key)).Ticks}")];
}
