using System.CommandLine.Parsing;
using System.Globalization;

namespace Mukta.Cli;

/// <summary>Sizes as users write them: 262144, 256KiB, 4MiB.</summary>
internal static class SizeText
{
    /// <summary>
    /// Reads the size of an option; says what is wrong with it where it is none from <paramref name="least"/> to <paramref name="most"/>
    /// bytes.
    /// </summary>
    public static long Parse(ArgumentResult result, string what, long least, long most)
    {
        var text = result.Tokens.Single().Value;
        var (digits, unit) = text switch
        {
            _ when text.EndsWith("KiB", StringComparison.OrdinalIgnoreCase) => (text[..^3], 1L << 10),
            _ when text.EndsWith("MiB", StringComparison.OrdinalIgnoreCase) => (text[..^3], 1L << 20),
            _ => (text, 1L),
        };
        if (int.TryParse(digits, NumberStyles.None, CultureInfo.InvariantCulture, out var number) && number * unit >= least
            && number * unit <= most)
            return number * unit;
        result.AddError(
            $"The {what} '{text}' is not one of {Units.Bytes(least).Replace(".0", "", StringComparison.Ordinal)} to "
            + $"{Units.Bytes(most).Replace(".00", "", StringComparison.Ordinal)}, such as 262144, 256KiB or 4MiB");
        return 0;
    }
}
