using Mukta.Disk;
using Mukta.Operations;
using Mukta.Tests;
using Mukta.Verification;

namespace Mukta.Core.Tests.Reinstall;

/// <summary>An install that is replaced by a clean copy.</summary>
internal sealed class ReinstallScene(bool hasSetup) : ICrashScene
{
    private readonly Harbour harbour = Harbour.Make(hasSetup);
    private List<KeyValuePair<string, string>>? old;

    public IReadOnlyList<string> Roots => [harbour.Scratch.Root];

    public List<string> Look()
    {
        old ??= Programs();
        return harbour.Look();
    }

    public void Run()
    {
        harbour.ForgetOurBirth();
        harbour.ReinstallAsync().GetAwaiter().GetResult().Code.ShouldBe(ExitCode.Done);
    }

    public void CheckCrashed(string after)
    {
        if (!Directory.Exists(harbour.Path))
            after.ShouldContain("poor disk", Case.Sensitive, "without an exchange of names there is a moment between two renames");
        else if (!hasSetup && !Programs().SequenceEqual(old!))
            Verify(harbour).IsIntact.ShouldBeTrue($"neither the old nor the new install is there {after}");
        File.ReadAllText(harbour.Scratch.At(".local/share/pier/logbooks/spring.log")).ShouldBe("sailed");
        Directory.EnumerateFiles(harbour.Scratch.Root, "first.raw", SearchOption.AllDirectories).Select(File.ReadAllText)
            .ShouldContain("a picture", after);
    }

    public void Check(string after) => Made(harbour, after);

    public void Undo()
    {
        harbour.UndoAll();
        harbour.Services.Active.ShouldBe("active");
    }

    public void UndoTheUndo() => harbour.UndoTheUndos();

    public void Dispose() => harbour.Dispose();

    private List<KeyValuePair<string, string>> Programs() =>
        [.. harbour.Scratch.Snapshot("games/pier")
        .Where(f => f.Key.StartsWith("bin", StringComparison.Ordinal) || f.Key.StartsWith("maps", StringComparison.Ordinal))];

    private static VerifyResult Verify(Harbour harbour)
    {
        using var folder = Folder.Open(harbour.Path);
        return new Verifier(TimeProvider.System)
            .Verify(harbour.Manifest, folder, new VerifyOptions(), TestContext.Current.CancellationToken);
    }

    /// <summary>
    /// The new install is whole, the user's data and what belongs to others is where it was, leftovers are gone, nothing is half done.
    /// </summary>
    public static void Made(Harbour harbour, string after)
    {
        Verify(harbour).IsIntact.ShouldBeTrue(after);
        var tree = harbour.Scratch.Snapshot("games/pier");
        tree.Keys.Where(k => !harbour.Manifest.Files.Any(f => f.Path == k) && tree[k] != "folder")
            .ShouldBe(["inside/other/bin/other", "maps/main.pak", "screenshots/best", "screenshots/first.raw"], after);
        tree["screenshots/best"].ShouldBe("link first.raw");
        File.GetUnixFileMode(harbour.Scratch.At("games/pier/screenshots")).ShouldBe((UnixFileMode)0b111_000_000);
        File.Exists(harbour.Scratch.At(".config/pier/settings")).ShouldBeFalse();
        File.ReadAllText(harbour.Scratch.At(".local/share/applications/pier.desktop"))
            .ShouldContain(harbour.Scratch.At("games/pier/bin/pier"));
        harbour.Services.Active.ShouldBe("active");
        var areas = new OperationCatalog(harbour.Machine.Home, TimeProvider.System).All([], []);
        areas.Count.ShouldBeInRange(1, 2, "a kill after the very end makes the next one another operation");
        areas.ShouldContain(a => a.State == OperationState.Done, "with the power the last line of the first may be lost");
        Directory.EnumerateFileSystemEntries(areas[0].Place).Select(Path.GetFileName).Order()
            .ShouldBe(["files", "journal", "user-data-0.tar"]);
    }
}
