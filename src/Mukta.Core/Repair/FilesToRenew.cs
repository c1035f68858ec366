using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Repair;

/// <summary>Which files are to be downloaded again whatever their state: those of components, and those whose paths fit patterns.</summary>
/// <param name="Components">Names of components.</param>
/// <param name="Globs">Patterns.</param>
public sealed record FilesToRenew(IReadOnlyList<string> Components, IReadOnlyList<string> Globs)
{
    /// <summary>None.</summary>
    public static FilesToRenew None { get; } = new([], []);

    /// <summary>Tells for each file whether it is one of them; null if none was asked for.</summary>
    /// <param name="manifest">The release.</param>
    /// <param name="profile">The profile's components.</param>
    /// <param name="where">The manifest's file, for an error.</param>
    /// <exception cref="MuktaException">A component is unknown, or a pattern fits nothing.</exception>
    public Func<ManifestFile, bool>? Among(Manifest manifest, IReadOnlyDictionary<string, IReadOnlyList<string>> profile, string where)
    {
        if (Components.Count + Globs.Count == 0)
            return null;
        bool IsOf(ManifestFile file, string component) =>
            file.Component == component || (profile.TryGetValue(component, out var globs) && globs.Any(g => PathGlob.Fits(g, file.Path)));
        if (Components.FirstOrDefault(c => !manifest.Files.Any(f => IsOf(f, c))) is { } unknown)
        {
            var known = manifest.Files.Select(f => f.Component).OfType<string>().Concat(profile.Keys).Distinct()
                .Order(StringComparer.Ordinal).ToList();
            throw new MuktaException(
                ExitCode.BadInput, $"No file belongs to a component \"{PathBytes.Shown(unknown)}\".", where,
                known.Count > 0 ? $"Name one of: {string.Join(", ", known)}."
                : "Neither manifest nor profile has components; name files with --renew-files.");
        }

        return Globs.FirstOrDefault(g => !manifest.Files.Any(f => PathGlob.Fits(g, f.Path))) is { } idle
            ? throw new MuktaException(
                ExitCode.BadInput, $"No file fits the pattern \"{PathBytes.Shown(idle)}\".", where,
                "A * stands for characters within one name, ** for any folders: maps/*, maps/**/*.pak.")
            : file => Components.Any(c => IsOf(file, c)) || Globs.Any(g => PathGlob.Fits(g, file.Path));
    }
}
