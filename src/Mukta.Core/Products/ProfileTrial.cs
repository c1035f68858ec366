using Mukta.Disk;
using Mukta.Host;

namespace Mukta.Products;

/// <summary>What a path of a profile stands for on this machine.</summary>
/// <param name="Key">The key that it is under, such as <c>caches[routes]</c>.</param>
/// <param name="Written">The path as the profile writes it.</param>
/// <param name="Found">What is there; for a pattern of files in the install, how many of them is in <see cref="Files"/>.</param>
/// <param name="Files">Files in it, or that fit it.</param>
/// <param name="Bytes">Their sizes, together.</param>
public sealed record TriedPath(string Key, string Written, IReadOnlyList<string> Found, int Files, long Bytes)
{
    /// <summary>True if nothing fits it.</summary>
    public bool IsMissing => Found.Count == 0 && Files == 0;
}

/// <summary>Tries the paths of a profile on a machine: what exists, how large it is, and what matches nothing.</summary>
/// <param name="machine">The machine.</param>
public sealed class ProfileTrial(Machine machine)
{
    /// <summary>Tries every path of a profile. What lies in an install is looked for in the first one that is found.</summary>
    public IReadOnlyList<TriedPath> Try(LoadedProfile loaded, CancellationToken cancel)
    {
        var profile = loaded.Profile;
        var installs = new InstallFinder(machine.Folders).Find(profile, loaded.TryManifestFile, []);
        var install = installs.Count > 0 ? installs[0].Path : null;
        var inside = install is null ? [] : FilesIn(install, cancel);
        var tried = new List<TriedPath>();
        void Place(string key, PathPattern? pattern)
        {
            if (pattern is not null)
                tried.Add(Tried(key, pattern.Text, [.. machine.Folders.At(pattern, install)], cancel));
        }

        void Inside(string key, params IEnumerable<string?> patterns)
        {
            foreach (var pattern in patterns.OfType<string>())
            {
                var fitting = inside.Where(f => PathGlob.Fits(pattern, f.Path)).ToList();
                tried.Add(new TriedPath(key, pattern, [], fitting.Count, fitting.Sum(f => f.Size)));
            }
        }

        foreach (var place in profile.Installs.Places)
            Place("installs", place);
        Inside("marker", profile.Installs.Marker);
        if (loaded.ManifestUrl is null && loaded.ManifestLocation is { } manifest)
            tried.Add(Tried("manifest", profile.Manifest!.Location, File.Exists(manifest) ? [manifest] : [], cancel));
        foreach (var (name, patterns) in profile.Components)
            Inside($"components[{name}]", patterns);
        foreach (var cache in profile.Caches)
        {
            foreach (var place in cache.Places)
                Place($"caches[{cache.Name}]", place);
        }

        foreach (var (key, places) in new[]
        {
            ("temporary", profile.Temporary), ("user-data", profile.UserData), ("settings", profile.Settings),
            ("leftovers", profile.Leftovers),
        })
        {
            foreach (var place in places)
                Place(key, place);
        }

        foreach (var shortcut in profile.Shortcuts)
        {
            Place("shortcuts", shortcut.Entry);
            Inside("shortcuts", shortcut.Program);
        }

        Inside("runtime", profile.Runtime.Programs);
        Place("runtime", profile.Runtime.Layer);
        foreach (var log in profile.Logs)
            Place("logs", log);
        Inside("setup", profile.Setup?.Program);
        Inside("setup", profile.Setup?.Then.Files ?? []);
        return tried;
    }

    private static TriedPath Tried(string key, string written, IReadOnlyList<string> found, CancellationToken cancel)
    {
        var (files, bytes) = (0, 0L);
        foreach (var path in found)
        {
            if (Directory.Exists(path))
            {
                var inside = FilesIn(path, cancel);
                (files, bytes) = (files + inside.Count, bytes + inside.Sum(f => f.Size));
            }
            else if (new FileInfo(path) is { Exists: true } file)
                (files, bytes) = (files + 1, bytes + file.Length);
        }

        return new TriedPath(key, written, found, files, bytes);
    }

    private static List<(string Path, long Size)> FilesIn(string path, CancellationToken cancel)
    {
        try
        {
            using var folder = Folder.Open(path);
            return [.. TreeWalk.Entries(folder, p => p == OwnFolder.Name, cancel).Where(e => e.Node is { Kind: NodeKind.File })
                .Select(e => (e.Path, e.Node!.Value.Size))];
        }
        catch (MuktaException)
        {
            return []; // A folder that may not be entered.
        }
    }
}
