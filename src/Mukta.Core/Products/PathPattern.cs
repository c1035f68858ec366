namespace Mukta.Products;

/// <summary>
/// A path in a profile: absolute, or below a variable such as <c>${cache}</c>; <c>*</c> and <c>?</c> stand for characters
/// within one segment. It cannot climb. Whether a profile may name it for something that is changed is for <see cref="ProductPlaces"/>.
/// </summary>
public sealed record PathPattern
{
    /// <summary>The variables that a path may begin with.</summary>
    public static IReadOnlyList<string> Variables { get; } = ["home", "data", "config", "cache", "state", "install"];

    private PathPattern(string text, string? variable, IReadOnlyList<string> segments) =>
        (Text, Variable, Segments) = (text, variable, segments);

    /// <summary>As it is in the profile.</summary>
    public string Text { get; }

    /// <summary>The variable it begins with; null for an absolute path.</summary>
    public string? Variable { get; }

    /// <summary>The segments behind the variable or the first slash.</summary>
    public IReadOnlyList<string> Segments { get; }

    /// <summary>Reads a path.</summary>
    /// <param name="text">As it is in the profile.</param>
    /// <param name="fault">Why it is refused, as the end of the sentence "the path ..."; null for a good one.</param>
    /// <returns>The path; null for a refused one.</returns>
    public static PathPattern? Parse(string text, out string? fault)
    {
        fault = null;
        string? variable = null;
        var rest = text;
        if (text.StartsWith("${", StringComparison.Ordinal) && text.IndexOf('}', StringComparison.Ordinal) is var end and > 0)
        {
            variable = text[2..end];
            rest = text[(end + 1)..];
            if (!Variables.Contains(variable))
                fault = $"begins with the unknown variable ${{{variable}}}{Nearest.Hint(variable, Variables)}";
        }

        var segments = rest.Split('/').Skip(1).ToList();
        fault ??= rest.Length > 0 && rest[0] != '/'
            ? $"is neither absolute nor below a variable ({string.Join(", ", Variables.Select(v => $"${{{v}}}"))})"
            : text.Length > Manifests.ManifestPath.LongestPath ? $"is longer than {Manifests.ManifestPath.LongestPath} characters"
            : text.Any(char.IsControl) ? "contains a control character"
            : rest.Contains("${", StringComparison.Ordinal) ? "has a variable in the middle; one may stand only at the beginning"
            : segments.Contains("..") || segments.Contains(".") ? "has a segment \".\" or \"..\""
            : segments.Contains("") ? "has an empty segment"
            : segments.Any(s => s.Contains("**", StringComparison.Ordinal))
            ? "contains \"**\"; a * stands for characters within one segment only"
            : null;
        return fault is null ? new PathPattern(text, variable, segments) : null;
    }
}
