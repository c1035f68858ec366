namespace Mukta.Fetching;

/// <summary>The newest release of a product that was seen.</summary>
/// <param name="Sequence">Its sequence number.</param>
/// <param name="Release">Its version for people; null if it had none.</param>
/// <param name="At">When it was first seen.</param>
public sealed record SeenRelease(long Sequence, string? Release, DateTimeOffset At);

/// <summary>Remembers the newest release of each product that was seen, for each set of certificates that vouched for it.</summary>
public interface ISeenReleases
{
    /// <summary>The newest one; null if none was seen.</summary>
    /// <param name="product">The product.</param>
    /// <param name="trust">What tells the certificates from others.</param>
    SeenRelease? Newest(string product, string trust);

    /// <summary>Remembers a newer one.</summary>
    void Remember(string product, string trust, SeenRelease release);
}
