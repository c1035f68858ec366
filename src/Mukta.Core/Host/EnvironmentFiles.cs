namespace Mukta.Host;

/// <summary>A variable that a file sets for everything that a user starts after signing in.</summary>
/// <param name="File">The file, as the machine names it.</param>
/// <param name="Name">The variable.</param>
/// <param name="Value">Its value; not empty.</param>
internal sealed record FileVariable(string File, string Name, string Value);

/// <summary>Reads <c>/etc/environment</c> (pam_env(8)) and the user's <c>environment.d</c> (environment.d(5)).</summary>
internal static class EnvironmentFiles
{
    /// <summary>The variables that they set, in the order of the files and lines.</summary>
    public static IEnumerable<FileVariable> Of(Machine machine)
    {
        var own = Path.Join(machine.Folders.Config, "environment.d");
        var files = new[] { machine.At("/etc/environment") }.Concat(
            Directory.Exists(own) ? Directory.EnumerateFiles(own, "*.conf").Order(StringComparer.Ordinal) : []);
        return files.SelectMany(file => Lines(file).Select(l => l.Split('=', 2))
            .Where(l => l.Length == 2 && !l[0].TrimStart().StartsWith('#'))
            .Select(l => new FileVariable(machine.NameOf(file), l[0].Trim(), l[1].Trim().Trim('"')))).Where(v => v.Value.Length > 0);
    }

    private static string[] Lines(string file)
    {
        try
        {
            return File.Exists(file) ? File.ReadAllLines(file) : [];
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException)
        {
            return [];
        }
    }
}
