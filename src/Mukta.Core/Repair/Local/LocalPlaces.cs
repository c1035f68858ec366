namespace Mukta.Repair.Local;

/// <summary>Where to look for pieces on this machine before the network is asked.</summary>
/// <param name="Also">Folders that the user named: every file in them is checked.</param>
/// <param name="OtherInstalls">Other installs of the product: files of the same paths are checked.</param>
public sealed record LocalPlaces(IReadOnlyList<string> Also, IReadOnlyList<string> OtherInstalls)
{
    /// <summary>None but the install itself.</summary>
    public static LocalPlaces None { get; } = new([], []);
}
