using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Repair;
using Mukta.UserData;
using Mukta.Verification;

namespace Mukta.Reinstall;

/// <summary>What is wanted of a clean reinstall.</summary>
/// <param name="IsFresh">Fetch every byte anew: nothing that is here is used.</param>
/// <param name="DropsUserData">Hold the user's own data too, and do not bring it back.</param>
public sealed record ReinstallWish(bool IsFresh, bool DropsUserData)
{
    /// <summary>False to leave leftovers, caches and temporary files where they are.</summary>
    public bool SweepsLeftovers { get; init; } = true;
}

/// <summary>One install that is made anew, with everything that its plan depends on. All paths are real.</summary>
public sealed record ReinstallTarget
{
    /// <summary>The product.</summary>
    public required Profile Profile { get; init; }

    /// <summary>The release.</summary>
    public required Manifest Manifest { get; init; }

    /// <summary>Where the install is, or will be.</summary>
    public required string Path { get; init; }

    /// <summary>The install as it is; null where there is none, or where it is the new one already.</summary>
    public VerifyResult? Before { get; init; }

    /// <summary>Where bytes come from, first choice first.</summary>
    public required IReadOnlyList<ISource> Sources { get; init; }

    /// <summary>The plan for the new tree, as if nothing of it were there yet.</summary>
    public required RepairPlan Build { get; init; }

    /// <summary>The user's own data.</summary>
    public IReadOnlyList<UserPlace> UserData { get; init; } = [];

    /// <summary>What the product leaves behind, with what may not be touched.</summary>
    public IReadOnlyList<UserPlace> Leftovers { get; init; } = [];

    /// <summary>Installs of other products inside of this one, relative to it: they stay where they are.</summary>
    public IReadOnlyList<string> Inside { get; init; } = [];

    /// <summary>Why the vendor's remove is not run although there is one; null where it is, or there is none.</summary>
    public string? RemoveSkipped { get; init; }

    /// <summary>True where the vendor's remove is run.</summary>
    public bool RunsRemove => Profile.Setup?.Actions.ContainsKey("remove") == true && Before is not null && RemoveSkipped is null;

    /// <summary>True where the vendor's install is run.</summary>
    public bool RunsInstall => Profile.Setup?.Actions.ContainsKey("install") == true;

    /// <summary>True where an install is there.</summary>
    public bool IsThere => Before is not null;

    /// <summary>Bytes of the new tree that are taken from the old one or from elsewhere on this machine.</summary>
    public long BytesNotFetched => Manifest.TotalSize - Build.BytesToFetch;

    /// <summary>Looks at everything.</summary>
    /// <param name="machine">The machine.</param>
    /// <param name="catalog">All profiles at hand.</param>
    /// <param name="profile">The product.</param>
    /// <param name="manifest">The release.</param>
    /// <param name="path">The install's folder, there or not.</param>
    /// <param name="sources">Where bytes come from.</param>
    /// <param name="wish">What is wanted.</param>
    /// <param name="inside">Installs of other products below the folder.</param>
    /// <param name="isNewAlready">True where an interrupted run has put the new install in its place.</param>
    /// <param name="also">Folders to look for pieces in.</param>
    /// <param name="meter">Counts the bytes that are read.</param>
    /// <param name="cancel">Ends it.</param>
    public static ReinstallTarget Of(
        Machine machine, ProfileCatalog catalog, Profile profile, Manifest manifest, string path, IReadOnlyList<ISource> sources, ReinstallWish wish,
        IEnumerable<string> inside, bool isNewAlready, IReadOnlyList<string> also, WorkMeter? meter, CancellationToken cancel)
    {
        var isThere = Directory.Exists(path) && !isNewAlready;
        var places = new UserPlaces(machine, catalog);
        using var old = isThere ? Folder.Open(path) : null;
        var before = old is null ? null : new Verifier(TimeProvider.System).Verify(manifest, old, new VerifyOptions { Meter = meter, RememberProven = true }, cancel);
        var build = isNewAlready ? new RepairPlan { Steps = [], LeftOpen = [] } : BuildPlan(manifest, before, Nearest(path), wish, old, also, meter, cancel);
        return new ReinstallTarget
        {
            Profile = profile,
            Manifest = manifest,
            Path = path,
            Before = before,
            Sources = sources,
            Build = build,
            UserData = isNewAlready ? [] : places.Data(profile, path, cancel),
            Leftovers = wish.SweepsLeftovers ? places.Leftovers(profile, path, cancel) : [],
            Inside = [.. inside.Where(i => i.StartsWith(path + "/", StringComparison.Ordinal)).Select(i => i[(path.Length + 1)..])],
            RemoveSkipped = before is not null && profile.Setup is { } setup && before.Problems.Any(p => p.Path == setup.Program && p is not WrongMode)
                ? $"its program {setup.Program} is damaged" : null,
        };
    }

    /// <summary>The nearest folder that is there.</summary>
    internal static string Nearest(string path)
    {
        while (!Directory.Exists(path))
            path = System.IO.Path.GetDirectoryName(path)!;
        return path;
    }

    private static RepairPlan BuildPlan(
        Manifest manifest, VerifyResult? before, string place, ReinstallWish wish, Folder? old, IReadOnlyList<string> also, WorkMeter? meter, CancellationToken cancel)
    {
        var nothing = new VerifyResult
        {
            Manifest = manifest,
            Findings = [.. manifest.Files.Select(f => new Missing(f)), .. manifest.Links.Select(l => new Missing(l))],
            BytesRead = 0,
            BytesGood = 0,
            Elapsed = TimeSpan.Zero,
            ModesCompared = FileSystemCapabilities.Of(place).KeepsModes,
        };
        var disk = FileSystemCapabilities.Of(place);
        var plan = RepairPlan.For(nothing, new RepairWish { Disk = disk, Refetch = wish.IsFresh ? _ => true : null });
        if (wish.IsFresh)
            return plan;
        if (before is not null)
            plan = plan.BesideDonor(before, disk);
        using var somewhere = old is null ? Folder.Open(place) : null;
        using var local = LocalPieces.For(plan, before ?? nothing, old ?? somewhere!, new LocalPlaces(also, []), meter, cancel);
        return plan.With(local);
    }
}
