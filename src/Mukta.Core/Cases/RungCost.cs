using Mukta.Products;

namespace Mukta.Cases;

/// <summary>What a machine has measured of its own.</summary>
public sealed record MeasuredTimes
{
    /// <summary>Nothing was measured.</summary>
    public static MeasuredTimes Nothing { get; } = new();

    /// <summary>How long each rung of the product has taken here, minutes, by its name.</summary>
    public ILookup<string, double> Took { get; init; } = Enumerable.Empty<double>().ToLookup(_ => "");

    /// <summary>How fast its repairs have downloaded, bytes per second; null if there was none.</summary>
    public double? BytesPerSecond { get; init; }

    /// <summary>How fast its files were read, bytes per second; null if they were not.</summary>
    public double? ReadBytesPerSecond { get; init; }

    /// <summary>Bytes that a repair has to download; null if that is not known.</summary>
    public long? BytesToFetch { get; init; }

    /// <summary>Bytes of the whole release.</summary>
    public long ReleaseBytes { get; init; }
}

/// <summary>
/// How long a rung is expected to take: what the profile says, or for what downloads files what they take at the speed of this machine; and
/// how long the rung has taken here before. Pure.
/// </summary>
public static class RungCost
{
    /// <summary>How many times on this machine the profile's minutes count for.</summary>
    public const double WeightOfProfile = 2;

    private const double Least = 0.1;

    /// <summary>The expected minutes, without trying the product afterwards.</summary>
    /// <param name="rung">The rung.</param>
    /// <param name="isOwn">True if it is about the product whose files were measured.</param>
    /// <param name="measured">What was measured.</param>
    public static double Minutes(Rung rung, bool isOwn, MeasuredTimes measured)
    {
        var expected = isOwn && OfFiles(rung.Act, measured) is { } bytes ? bytes : rung.Minutes;
        var took = measured.Took[rung.Id].ToList();
        return Math.Max(Least, ((WeightOfProfile * expected) + took.Sum()) / (WeightOfProfile + took.Count));
    }

    private static double? OfFiles(RungAct act, MeasuredTimes measured)
    {
        if (measured is not { BytesPerSecond: > 0 and var rate, BytesToFetch: { } damaged })
            return null;
        long? fetched = act switch
        {
            RungAct.Repair or RungAct.Reinstall => damaged,
            RungAct.RemoveAndInstall => measured.ReleaseBytes,
            _ => null,
        };
        var reading = measured.ReadBytesPerSecond is > 0 and var read ? measured.ReleaseBytes / read : 0;
        return fetched is { } bytes ? ((bytes / rate) + reading) / 60 : null;
    }
}
