using System.Text.RegularExpressions;

namespace Mukta.Products;

/// <summary>Texts of a profile in which the variables of <see cref="PathPattern"/> may stand anywhere.</summary>
public static partial class VariableText
{
    /// <summary>Why a text is refused, as the end of the sentence "it ..."; null for a good one.</summary>
    public static string? FaultOf(string text)
    {
        foreach (Match found in Variable().Matches(text))
        {
            var name = found.Groups[1].Value;
            if (!PathPattern.Variables.Contains(name))
                return $"has the unknown variable ${{{name}}}{Nearest.Hint(name, PathPattern.Variables)}";
        }

        return Variable().Replace(text, "").Contains("${", StringComparison.Ordinal) ? "has a \"${\" without its \"}\"" : null;
    }

    /// <summary>A text with its variables replaced by the folders that they stand for.</summary>
    /// <param name="text">The text.</param>
    /// <param name="folderOf">The folder of a variable.</param>
    public static string Expand(string text, Func<string, string> folderOf) =>
        Variable().Replace(text, found => folderOf(found.Groups[1].Value));

    [GeneratedRegex(@"\$\{([^{}]*)\}", RegexOptions.CultureInvariant)]
    private static partial Regex Variable();
}
