using System.IO.Enumeration;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Products;

namespace Mukta.Cases;

/// <summary>The code or symptom of a profile that a complaint is about.</summary>
/// <param name="Code">The code; null if none fits.</param>
/// <param name="How">How it was found, in words.</param>
public sealed record CodeMatch(ComplaintCode? Code, string How)
{
    private const int LongestTail = 1 << 20;

    /// <summary>The code that is named; or else the first one that what people say, or what the logs say, fits.</summary>
    /// <param name="profile">The profile.</param>
    /// <param name="code">The code that is named; null for none.</param>
    /// <param name="symptom">What people say; null for nothing.</param>
    /// <param name="logs">The files of the product's logs, newest first.</param>
    /// <exception cref="MuktaException">The profile does not have the code that is named.</exception>
    public static CodeMatch Of(Profile profile, string? code, string? symptom, IEnumerable<string> logs)
    {
        if (code is not null)
        {
            return profile.Codes.FirstOrDefault(c => Same(c.Code, code)) is { } named ? new CodeMatch(named, "as given")
                : throw new MuktaException(
                    ExitCode.BadInput, $"The profile of {profile.Title} has no code like this.", PathBytes.Shown(code),
                    profile.Codes.Count == 0 ? "Describe it with --symptom TEXT."
                    : $"Its codes are: {string.Join(", ", profile.Codes.Select(c => c.Code))}. Or describe it with --symptom TEXT.");
        }

        if (symptom is not null && profile.Codes.FirstOrDefault(
            c => symptom.Contains(c.Code, StringComparison.OrdinalIgnoreCase) || c.Symptoms.Any(s => Fits(s, symptom))) is { } said)
            return new CodeMatch(said, "by what is said");
        foreach (var log in logs)
        {
            var lines = SmallText.End(log, LongestTail).Split('\n');
            // The last line that says something counts.
            foreach (var line in lines.Reverse())
            {
                if (profile.Codes.FirstOrDefault(c => c.Logs.Any(p => Fits(p, line))) is { } written)
                    return new CodeMatch(written, $"by the log {log}");
            }
        }

        return new CodeMatch(null, "no code fits");
    }

    private static bool Fits(string pattern, string text) =>
        FileSystemName.MatchesSimpleExpression(
            pattern.Replace("\\", "\\\\", StringComparison.Ordinal), text.TrimEnd('\r'), ignoreCase: true);

    private static bool Same(string code, string other) => string.Equals(code, other, StringComparison.OrdinalIgnoreCase);
}
