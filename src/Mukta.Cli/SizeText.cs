using System.CommandLine.Parsing;

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
        if (Units.ParseBytes(text) is { } size && size >= least && size <= most)
            return size;
        result.AddError(
            $"The {what} '{text}' is not one of {Units.Bytes(least).Replace(".0", "", StringComparison.Ordinal)} to "
            + $"{Units.Bytes(most).Replace(".00", "", StringComparison.Ordinal)}, such as 262144, 256KiB or 4MiB");
        return 0;
    }
}
