using Mukta.Hashing.Lanes;

namespace Mukta.Hashing;

/// <summary>How this machine hashes.</summary>
public static class HashMethod
{
    /// <summary>Which way was chosen and why; a measurement is made where nobody has needed one yet.</summary>
    public static string Decision => LaneKernel.Decision;
}
