using Mukta.Hashing.Lanes;

namespace Mukta.Hashing;

/// <summary>How this machine hashes.</summary>
public static class HashMethod
{
    /// <summary>Which way was chosen for so many bytes, and why.</summary>
    public static string DecisionFor(long bytes) =>
        RangeHasher.IsWorthChoosing(bytes) ? LaneKernel.Decision : $"{LaneKernel.Platform}, too little to be worth choosing";
}
