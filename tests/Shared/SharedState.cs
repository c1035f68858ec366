namespace Mukta.Tests;

/// <summary>
/// A folder for state that all tests of a run share where it does not matter. Operations have been numbered in it before, so that how
/// many changes a test makes does not depend on which test comes first.
/// </summary>
internal static class SharedState
{
    public static string Folder { get; } = Make();

    private static string Make()
    {
        var folder = Directory.CreateTempSubdirectory("mukta-test-state-").FullName;
        Directory.CreateDirectory(Path.Join(folder, "mukta"));
        File.WriteAllText(Path.Join(folder, "mukta", "sequence"), "");
        AppDomain.CurrentDomain.ProcessExit += (_, _) => Directory.Delete(folder, recursive: true);
        return folder;
    }
}
