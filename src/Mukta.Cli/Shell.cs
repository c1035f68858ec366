namespace Mukta.Cli;

/// <summary>Words as a POSIX shell reads them back.</summary>
internal static class Shell
{
    /// <summary>What has to stand before a command that changes the system.</summary>
    public static string Sudo =>
        Environment.IsPrivilegedProcess || Environment.GetEnvironmentVariable(Host.Services.Systemctl.Variable) is { Length: > 0 }
        ? "" : "sudo ";

    /// <summary>The command line as the user has typed it.</summary>
    public static string Typed(System.CommandLine.ParseResult parsed) => Typed(parsed.Tokens.Select(t => t.Value));

    /// <summary>A command line that can be pasted into a shell.</summary>
    public static string Typed(IEnumerable<string> words) => string.Join(' ', words.Select(Quoted).Prepend("mukta"));

    /// <summary>A word that can be pasted into a shell.</summary>
    public static string Quoted(string word)
    {
        var isPlain = word.Length > 0 && word.All(c => char.IsAsciiLetterOrDigit(c) || "_-./:=@%+,~".Contains(c, StringComparison.Ordinal))
            && word[0] != '~';
        return isPlain ? word : $"'{word.Replace("'", "'\\''", StringComparison.Ordinal)}'";
    }
}
