using Mukta.Cli.Rendering;
using Mukta.Products;

namespace Mukta.Cli.Json;

/// <summary><c>mukta.profile.check/1</c> and <c>mukta.profile.show/1</c></summary>
internal sealed record ProfilesDocument(string Format, IReadOnlyList<ProfilePart> Profiles)
{
    public static ProfilesDocument Of(string format, IEnumerable<LoadedProfile> profiles) => new(format, [.. profiles.Select(p => new ProfilePart(
        p.Profile.Product, p.Profile.Title, ProfileText.KindName(p.Profile.Kind), p.File, p.Profile.Needs, [.. p.Profile.Installs.Places.Select(i => i.Text)], p.ManifestLocation))]);
}

/// <summary>A profile in short.</summary>
internal sealed record ProfilePart(string Product, string Title, string Kind, string File, IReadOnlyList<string> Needs, IReadOnlyList<string> Places, string? Manifest);
