using System.Text.RegularExpressions;

namespace Mukta.Cases;

/// <summary>
/// Takes out of a text what says whose machine it is from: user and host names, home folders, addresses, passwords and tokens. It takes
/// out too much rather than too little. No pattern looks far, so that a long line takes no longer than many short ones. Pure.
/// </summary>
/// <param name="homes">Home folders.</param>
/// <param name="users">User names.</param>
/// <param name="hosts">Host names.</param>
public sealed partial class Redaction(IReadOnlyList<string> homes, IReadOnlyList<string> users, IReadOnlyList<string> hosts)
{
    private const int ShortestName = 2;

    private readonly IReadOnlyList<(Regex Pattern, string Instead)> names =
    [
        .. homes.Where(h => h.TrimEnd('/').Length > 1).OrderByDescending(h => h.Length)
            .Select(h => (new Regex(Regex.Escape(h.TrimEnd('/')) + @"(?![\w-])", RegexOptions.CultureInvariant), "~")),
        .. hosts.SelectMany(h => new[] { h, h.Split('.')[0] }).Where(h => h.Length >= ShortestName && h != "localhost").Distinct()
            .OrderByDescending(h => h.Length).Select(h => (Word(h), "[host]")),
        .. users.Where(u => u.Length >= ShortestName && u != "root").Select(u => (Word(u), "[user]")),
    ];

    /// <summary>The text without it.</summary>
    public string Of(string text)
    {
        text = Login().Replace(text, "$1[secret]@");
        text = Query().Replace(text, "$1?[removed]");
        foreach (var (pattern, instead) in names)
            text = pattern.Replace(text, instead);
        text = Home().Replace(text, "$1[user]");
        text = Secret().Replace(text, "$1$2[secret]");
        text = Mail().Replace(text, "[mail]");
        text = Hardware().Replace(text, "[address]");
        // A time has colons too: an address has two in a row, or seven.
        text = Address6().Replace(
            text, m => (m.Value.Contains("::", StringComparison.Ordinal) && m.Value.Length > 2) || m.Value.Count(c => c == ':') == 7
            ? "[address]" : m.Value);
        text = Address4().Replace(text, "[address]");
        return Token().Replace(text, "[token]");
    }

    private static Regex Word(string name) =>
        new($@"(?<![\w]){Regex.Escape(name)}(?![\w])", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant);

    /// <summary>A name and password in an address.</summary>
    [GeneratedRegex(@"(://)[^/\s@]{1,500}@", RegexOptions.CultureInvariant)]
    private static partial Regex Login();

    /// <summary>What follows the question mark of an address.</summary>
    [GeneratedRegex(@"(://(?>(?:(?!://)[^\s?""'<>]){0,2000}))\?[^\s""'<>]+", RegexOptions.CultureInvariant)]
    private static partial Regex Query();

    /// <summary>Somebody else's home.</summary>
    [GeneratedRegex(@"(/home/|/Users/|\\Users\\)[^/\\\s""':]+", RegexOptions.CultureInvariant)]
    private static partial Regex Home();

    [GeneratedRegex(
        @"((?:token|secret|passw(?:or)?d|pwd|api[_-]?key|authori[sz]ation|bearer|cookie|session(?:[_-]?id)?)(?>[\w-]{0,40}))"
        + @"(""?\s{0,9}[:=]\s{0,9}""?(?:bearer\s{1,9}|basic\s{1,9})?|\s{1,9}(?=\S{0,200}\d))[^\s"",;&]+",
        RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Secret();

    [GeneratedRegex(@"(?<![\w.+-])[\w.+-]{1,200}@[\w-]{1,63}(\.[\w-]{1,63})+", RegexOptions.CultureInvariant)]
    private static partial Regex Mail();

    [GeneratedRegex(@"\b(?:[0-9a-f]{2}[:-]){5}[0-9a-f]{2}\b", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Hardware();

    [GeneratedRegex(
        @"(?<![\w:.])(?:[0-9a-f]{0,4}:){2,7}[0-9a-f]{0,4}(?:%\w+)?(?![\w:])", RegexOptions.IgnoreCase | RegexOptions.CultureInvariant)]
    private static partial Regex Address6();

    [GeneratedRegex(@"(?<![\d.])(?:\d{1,3}\.){3}\d{1,3}(?![\d.])", RegexOptions.CultureInvariant)]
    private static partial Regex Address4();

    /// <summary>A long run of letters and digits, such as a key; hashes go with them.</summary>
    [GeneratedRegex(
        @"(?<![\w+/=-])(?=[\w+/=-]*\d)(?=[\w+/=-]*[A-Za-z])[A-Za-z0-9_+=-]{24,}(?![\w+=-])", RegexOptions.CultureInvariant)]
    private static partial Regex Token();
}
