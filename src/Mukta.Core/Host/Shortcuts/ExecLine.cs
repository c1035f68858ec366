using System.Text;

namespace Mukta.Host.Shortcuts;

/// <summary>
/// The command of a shortcut, in words (Desktop Entry specification, "The Exec key"). Variables are set by putting
/// <c>env NAME=VALUE ...</c> before the program. A percent sign appears twice where it is not a field code.
/// </summary>
/// <param name="Environment">The variables it sets, in order.</param>
/// <param name="Program">The program.</param>
/// <param name="Arguments">Its arguments, field codes such as <c>%U</c> among them.</param>
public sealed record ExecLine(IReadOnlyList<KeyValuePair<string, string>> Environment, string Program, IReadOnlyList<string> Arguments)
{
    private const string FieldCodes = "%fFuUick";
    private const string Reserved = " \t\n\"'\\><~|&;$*?#()`";

    /// <summary>Takes a command apart; null if a quote is not closed or there is no program.</summary>
    public static ExecLine? Parse(string exec)
    {
        if (Split(exec) is not { Count: > 0 } words)
            return null;
        var environment = new List<KeyValuePair<string, string>>();
        var at = 0;
        if (Path.GetFileName(words[0]) == "env")
        {
            for (at = 1; at < words.Count && words[at].IndexOf('=', StringComparison.Ordinal) is var equals and > 0; at++)
                environment.Add(new(words[at][..equals], Plain(words[at][(equals + 1)..])));
        }

        return at < words.Count ? new ExecLine(environment, Plain(words[at]), [.. words.Skip(at + 1)]) : null;
    }

    /// <summary>An argument as it is written: a percent sign that begins no field code appears twice.</summary>
    public static string Argument(string text)
    {
        var written = new StringBuilder(text.Length);
        for (var i = 0; i < text.Length; i++)
        {
            written.Append(text[i]);
            if (text[i] == '%')
                written.Append(i + 1 < text.Length && FieldCodes.Contains(text[i + 1], StringComparison.Ordinal) ? text[++i] : '%');
        }

        return written.ToString();
    }

    /// <summary>The value of a variable that it sets; null if it does not.</summary>
    public string? Variable(string name) => Environment.Where(e => e.Key == name).Select(e => e.Value).LastOrDefault();

    /// <summary>The command as the key's value.</summary>
    public override string ToString()
    {
        var environment = Environment.Count == 0 ? [] : Environment.Select(e => $"{e.Key}={Literal(e.Value)}").Prepend("env");
        return string.Join(' ', environment.Append(Literal(Program)).Concat(Arguments).Select(Quoted));
    }

    private static string Literal(string text) => text.Replace("%", "%%", StringComparison.Ordinal);

    private static string Plain(string text) => text.Replace("%%", "%", StringComparison.Ordinal);

    private static string Quoted(string word)
    {
        if (word.Length > 0 && !word.Any(c => Reserved.Contains(c, StringComparison.Ordinal)))
            return word;
        var quoted = new StringBuilder("\"");
        foreach (var c in word)
            quoted.Append(c is '"' or '`' or '$' or '\\' ? "\\" : "").Append(c);
        return quoted.Append('"').ToString();
    }

    private static List<string>? Split(string exec)
    {
        var words = new List<string>();
        StringBuilder? word = null;
        var isQuoted = false;
        for (var i = 0; i < exec.Length; i++)
        {
            var c = exec[i];
            if (c == '"')
            {
                isQuoted = !isQuoted;
                word ??= new StringBuilder();
            }
            else if (isQuoted && c == '\\' && i + 1 < exec.Length && exec[i + 1] is '"' or '`' or '$' or '\\')
            {
                word!.Append(exec[++i]);
            }
            else if (c is ' ' or '\t' && !isQuoted)
            {
                if (word is not null)
                    words.Add(word.ToString());
                word = null;
            }
            else
            {
                (word ??= new StringBuilder()).Append(c);
            }
        }

        if (word is not null)
            words.Add(word.ToString());
        return isQuoted ? null : words;
    }
}
