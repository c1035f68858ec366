using Mukta.Disk;
using Mukta.Fetching;

namespace Mukta.Cli.Rendering;

/// <summary>Where bytes come from, and how long that takes.</summary>
internal static class FetchWords
{
    /// <summary>The rate that the time of a download is told for: 50 Mbit/s, in bytes a second.</summary>
    private const double UsualRate = 50e6 / 8;

    /// <summary>What follows the number of bytes to fetch; nothing where there are none.</summary>
    public static string From(IReadOnlyList<ISource> sources, long bytes)
    {
        if (bytes == 0)
            return "";
        if (sources.Count == 0)
            return ", but no source is known: name one with --from";
        if (sources.All(s => s is LeftOutSource))
            return ", but its mirrors are on the network, which --offline leaves out";
        var (rate, words) = sources[0].MostPerSecond is { } most && most < UsualRate ? (most, $"{Units.Bytes(most)}/s")
            : (UsualRate, "50 Mbit/s");
        var seconds = bytes / rate;
        var time = !sources[0].IsRemote ? "" : seconds < 1 ? $", under a second at {words},"
            : $", about {Units.Time(TimeSpan.FromSeconds(seconds))} at {words},";
        var others = sources.Count > 1 ? $", or {Units.Count(sources.Count - 1, "other source")}" : "";
        return $"{time} from {PathBytes.Shown(sources[0].Name)}{others}";
    }
}
