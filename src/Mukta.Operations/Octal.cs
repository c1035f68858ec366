using System.Globalization;

namespace Mukta.Operations;

/// <summary>Permission bits as journals write them.</summary>
internal static class Octal
{
    /// <summary>The bits in octal, with a leading nought.</summary>
    public static string Of(int mode) => "0" + Convert.ToString(mode & 0xFFF, 8).PadLeft(3, '0');

    /// <summary>Reads them back. What is not an octal number of 12 bits at most gives 0600.</summary>
    public static int Parse(string text)
    {
        const int OwnerOnly = 0b110_000_000;
        return text.Length is > 0 and <= 5 && text.All(c => c is >= '0' and <= '7') ? Convert.ToInt32(text, 8) & 0xFFF : OwnerOnly;
    }

    /// <summary>True for bits that a journal may have.</summary>
    public static bool IsMode(string text) =>
        int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out _) && Of(Parse(text)) == text;
}
