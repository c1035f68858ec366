using Mukta.Cli.Rendering;
using Mukta.Products;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.profile.check/1</c> and <c>mukta.profile.show/1</c></summary>
internal sealed record ProfilesDocument(string Format, IReadOnlyList<ProfilePart> Profiles)
{
    /// <summary>What keeps the other files from being used.</summary>
    public IReadOnlyList<FaultPart>? Faults { get; init; }

    /// <summary>What is wrong with those that can be used; only of profile check.</summary>
    public IReadOnlyList<ProblemPart>? Problems { get; init; }

    /// <summary>What their paths stand for on this machine; only with --here.</summary>
    public IReadOnlyList<TriedPart>? Here { get; init; }

    public static ProfilesDocument Of(string format, IEnumerable<LoadedProfile> profiles) =>
        new(format, [.. profiles.Select(p => new ProfilePart()
        {
            Product = p.Profile.Product,
            Title = p.Profile.Title,
            Kind = ProfileText.KindName(p.Profile.Kind),
            File = p.File,
            Needs = p.Profile.Needs,
            Places = [.. p.Profile.Installs.Places.Select(i => i.Text)],
            Manifest = p.ManifestLocation,
        })]);
}

/// <summary>Something that cannot be used, and what to do about it.</summary>
internal sealed record FaultPart(string What, string Where, string Next);

/// <summary>Something in a profile that can be used all the same.</summary>
internal sealed record ProblemPart(string Product, string What);

/// <summary>A profile in short.</summary>
internal sealed record ProfilePart
{
    public required string Product { get; init; }

    public required string Title { get; init; }

    public required string Kind { get; init; }

    public required string File { get; init; }

    public required IReadOnlyList<string> Needs { get; init; }

    public required IReadOnlyList<string> Places { get; init; }

    public string? Manifest { get; init; }
}

/// <summary>A path of a profile, and what it stands for on this machine.</summary>
internal sealed record TriedPart(
    string Product, string Key, string Path, bool IsMissing, IReadOnlyList<string> Found, int Files, long Bytes)
{
    public static TriedPart Of(LoadedProfile profile, TriedPath tried) => new(
        profile.Profile.Product, tried.Key, tried.Written, tried.IsMissing, tried.Found, tried.Files, tried.Bytes);
}
