using System.Text.Json;
using Mukta.Host.Checks;
using Mukta.Products;

namespace Mukta.Cases;

/// <summary>Finds rungs that can never be tried and codes that nothing is tried for. Pure.</summary>
public static class LadderCheck
{
    /// <summary>What is wrong, as sentences without their full stops.</summary>
    /// <param name="profile">The profile.</param>
    /// <param name="others">The profiles of other products that a rung may be about; a product without one is not checked.</param>
    public static IEnumerable<string> Of(Profile profile, IReadOnlyList<Profile> others)
    {
        foreach (var code in profile.Codes.Where(c => c.Rungs.Count == 0))
            yield return $"the code {code.Code} has no rungs";
        foreach (var rung in profile.Ladder)
        {
            if (Circle(profile.Ladder, rung) is { } circle)
                yield return $"the rung {rung.Id} cannot be reached: it comes after {string.Join(", which comes after ", circle)}";
            else if (Lack(profile, others, rung) is { } lack)
                yield return $"the rung {rung.Id} cannot be reached: {lack}";
            foreach (var kind in rung.Gone.Where(g => !FindingNames.Contains(g)))
            {
                yield return $"the rung {rung.Id} waits for a finding that check does not know: {kind}"
                    + Nearest.HintOrEnd(kind, FindingNames).TrimEnd('.');
            }
        }

        foreach (var rung in profile.Ladder.Where(r => profile.Codes.Count > 0 && !IsUsed(profile, r)))
            yield return $"the rung {rung.Id} cannot be reached: no code names it";
    }

    /// <summary>The findings of a check, in the words of JSON.</summary>
    private static string[] FindingNames { get; } = [.. Enum.GetNames<FindingKind>().Select(JsonNamingPolicy.KebabCaseLower.ConvertName)];

    /// <summary>True for a rung that a code names, or that has to come before one that is used.</summary>
    private static bool IsUsed(Profile profile, Rung rung)
    {
        var used = profile.Codes.SelectMany(c => c.Rungs.Keys).ToHashSet(StringComparer.Ordinal);
        while (profile.Ladder.Where(r => used.Contains(r.Id)).SelectMany(r => r.After).Any(used.Add))
        {
            // Until nothing is added.
        }

        return used.Contains(rung.Id);
    }

    /// <summary>The rungs from one back to itself; null if it does not come after itself.</summary>
    private static List<string>? Circle(IReadOnlyList<Rung> ladder, Rung rung)
    {
        var queue = new Queue<List<string>>(rung.After.Select(a => new List<string> { a }));
        var seen = new HashSet<string>(StringComparer.Ordinal);
        while (queue.TryDequeue(out var way))
        {
            if (way[^1] == rung.Id)
                return way;
            if (!seen.Add(way[^1]))
                continue;
            foreach (var next in ladder.Where(r => r.Id == way[^1]).SelectMany(r => r.After))
                queue.Enqueue([.. way, next]);
        }

        return null;
    }

    /// <summary>What a product lacks for a rung; null for nothing.</summary>
    private static string? Lack(Profile profile, IReadOnlyList<Profile> others, Rung rung)
    {
        var about = rung.Product is null || rung.Product == profile.Product ? profile
            : others.FirstOrDefault(o => o.Product == rung.Product);
        if (about is null)
            return profile.Needs.Contains(rung.Product!) ? null : $"{profile.Product} does not need {rung.Product}";
        return rung.Act switch
        {
            RungAct.RestoreServices or RungAct.RestartServices when about.Services.Count == 0 => $"{about.Product} has no services",
            RungAct.RestoreShortcuts when about.Shortcuts.Count == 0 => $"{about.Product} has no shortcuts",
            RungAct.ClearCaches when about.Caches.Count == 0 => $"{about.Product} has no caches",
            RungAct.ClearCaches when rung.Part is { } cache && about.Caches.All(c => c.Name != cache) =>
                $"{about.Product} has no cache {cache}",
            RungAct.SweepDownloads when about.Temporary.Count == 0 => $"{about.Product} has no temporary files",
            RungAct.SweepReleases when !HoldsReleases(about.Installs) => $"{about.Product} has one place for its releases",
            RungAct.StopConflicts when about.Conflicts.Count == 0 => $"{about.Product} has no conflicts",
            RungAct.Repair when rung.Part is { } part && !about.Components.ContainsKey(part) => $"{about.Product} has no component {part}",
            RungAct.Repair or RungAct.Reinstall or RungAct.RemoveAndInstall when about.Manifest is null =>
                $"{about.Product} has no manifest",
            RungAct.Setup when about.Setup?.Actions.ContainsKey(rung.Part!) != true =>
                $"the setup of {about.Product} cannot {rung.Part}",
            RungAct.Reset when about.Settings.Count == 0 => $"{about.Product} names no settings",
            _ => null,
        };
    }

    private static bool HoldsReleases(InstallPlaces installs) =>
        installs.FolderPerRelease || installs.Places.Any(p => p.Text.Contains('*', StringComparison.Ordinal));
}
