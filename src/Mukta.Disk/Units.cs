using System.Globalization;

namespace Mukta;

/// <summary>Numbers the way people read them.</summary>
public static class Units
{
    private static readonly string[] Names = ["bytes", "KiB", "MiB", "GiB", "TiB", "PiB", "EiB"];

    /// <summary>Bytes with a binary unit: 0 bytes, 1 byte, 4.0 MiB, 1.02 GiB.</summary>
    public static string Bytes(long count)
    {
        if (count < 1024)
            return count == 1 ? "1 byte" : Text($"{count} bytes");
        var (value, unit) = (count / 1024.0, 1);
        while (value >= 1023.95 && unit < Names.Length - 1)
            (value, unit) = (value / 1024, unit + 1);
        return unit >= 3 ? Text($"{value:0.00} {Names[unit]}") : Text($"{value:0.0} {Names[unit]}");
    }

    /// <summary>Reads a size as people write it: 262144, 256KiB, 4MiB, 1GiB; null if it is not one.</summary>
    public static long? ParseBytes(string text)
    {
        var power = Array.FindIndex(Names, 1, 3, n => text.EndsWith(n, StringComparison.OrdinalIgnoreCase));
        return int.TryParse(power < 0 ? text : text[..^3], NumberStyles.None, CultureInfo.InvariantCulture, out var number)
            ? number * (1L << (10 * Math.Max(0, power))) : null;
    }

    /// <summary>A whole number with thousands apart.</summary>
    public static string Number(long count) => count.ToString("N0", CultureInfo.InvariantCulture);

    /// <summary>A count with its word: 1 file, 3 files.</summary>
    public static string Count(long count, string one, string? many = null) => $"{Number(count)} {(count == 1 ? one : many ?? one + "s")}";

    /// <summary>Some of all: "1 of 3 services".</summary>
    public static string Of(long some, long all, string one, string? many = null) => $"{Number(some)} of {Count(all, one, many)}";

    /// <summary>A time: 0.6 s, 42 s, 5 min, 3 min 20 s, 2 h 5 min.</summary>
    public static string Time(TimeSpan time) => time switch
    {
        { TotalSeconds: < 0.1 } => "under 0.1 s",
        { TotalSeconds: < 9.95 } => Text($"{time.TotalSeconds:0.0} s"),
        { TotalSeconds: < 99.5 } => Text($"{time.TotalSeconds:0} s"),
        { TotalMinutes: < 99.5, Seconds: 0 } => Text($"{(int)time.TotalMinutes} min"),
        { TotalMinutes: < 99.5 } => Text($"{(int)time.TotalMinutes} min {time.Seconds} s"),
        _ => Text($"{(int)time.TotalHours} h {time.Minutes} min"),
    };

    /// <summary>Permission bits in octal: 0755.</summary>
    public static string Mode(int mode) => "0" + Convert.ToString(mode & 0x1FF, 8).PadLeft(3, '0');

    private static string Text(FormattableString text) => text.ToString(CultureInfo.InvariantCulture);
}
