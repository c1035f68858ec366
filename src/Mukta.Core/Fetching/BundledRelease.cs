namespace Mukta.Fetching;

/// <summary>A release of which a bundle holds something.</summary>
/// <param name="Product">The product; null if the manifest does not say.</param>
/// <param name="Release">The release's version.</param>
/// <param name="Sequence">The release's number.</param>
/// <param name="Manifest">Its manifest's file in the bundle, below <c>data</c>.</param>
/// <param name="IsSigned">True if the manifest's signature lies beside it.</param>
/// <param name="For">The findings that it was made for; none where it holds the whole release.</param>
/// <param name="Files">Files of which there is something.</param>
/// <param name="Bytes">Bytes of their pieces; what two releases share is counted at both.</param>
public sealed record BundledRelease(
    string? Product, string? Release, long? Sequence, string Manifest, bool IsSigned, IReadOnlyList<string> For, int Files, long Bytes)
{
    /// <summary>What the release calls itself.</summary>
    public string Title =>
        (Product ?? "unnamed release") + (Release is null ? "" : $" {Release}") + (Sequence is { } number ? $" (release {number})" : "");
}
