using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Repair;
using Mukta.Repair.Local;
using Mukta.UserData;
using Mukta.Verification;

namespace Mukta.Reinstall;

/// <summary>What is wanted of a clean reinstall.</summary>
/// <param name="IsFresh">Download every byte: nothing that is here is used.</param>
/// <param name="DropsUserData">Hold the user's own data too, and do not bring it back.</param>
public sealed record ReinstallWish(bool IsFresh, bool DropsUserData)
{
    /// <summary>False to leave leftovers, caches and temporary files where they are.</summary>
    public bool SweepsLeftovers { get; init; } = true;

    /// <summary>Globs: files of the install that its manifest does not list and that are restored like user data.</summary>
    public IReadOnlyList<string> Keep { get; init; } = [];

    /// <summary>True for a file that is restored.</summary>
    public bool Keeps(Stray stray) => Keep.Any(glob => PathGlob.Fits(glob, stray.Path));
}

/// <summary>One install that is replaced, with everything that its plan depends on. All paths are real.</summary>
public sealed record ReinstallTarget
{
    /// <summary>The product.</summary>
    public required Profile Profile { get; init; }

    /// <summary>The release.</summary>
    public required Manifest Manifest { get; init; }

    /// <summary>Where the install is, or will be.</summary>
    public required string Path { get; init; }

    /// <summary>The install as it is; null if there is none, or if it is the new one already.</summary>
    public VerifyResult? Before { get; private init; }

    /// <summary>Where bytes come from, first choice first.</summary>
    public required IReadOnlyList<ISource> Sources { get; init; }

    /// <summary>Knows who uses the product.</summary>
    public required RunningGuard Guard { get; init; }

    /// <summary>The plan for the new tree, as if nothing of it were there yet.</summary>
    public RepairPlan Build { get; private init; } = new() { Steps = [], LeftOpen = [] };

    /// <summary>The user's own data.</summary>
    public IReadOnlyList<UserPlace> UserData { get; private init; } = [];

    /// <summary>What the product leaves behind, with what may not be touched.</summary>
    public IReadOnlyList<UserPlace> Leftovers { get; private init; } = [];

    /// <summary>Installs of other products inside of this one, relative to it: they stay where they are.</summary>
    public IReadOnlyList<string> Inside { get; init; } = [];

    /// <summary>Why the vendor's remove is not run although there is one; null if it is, or there is none.</summary>
    public string? RemoveSkipped { get; private init; }

    /// <summary>True if the vendor's remove is run.</summary>
    public bool RunsRemove => Profile.Setup?.Actions.ContainsKey("remove") == true && Before is not null && RemoveSkipped is null;

    /// <summary>True if the vendor's install is run.</summary>
    public bool RunsInstall => Profile.Setup?.Actions.ContainsKey("install") == true;

    /// <summary>True if an install is there.</summary>
    public bool IsThere => Before is not null;

    /// <summary>Bytes of the new tree that are taken from the old one or from elsewhere on this machine.</summary>
    public long BytesNotFetched => Manifest.TotalSize - Build.BytesToFetch;

    /// <summary>The same with all that is to be seen of it.</summary>
    /// <param name="around">What it is checked with.</param>
    /// <param name="isNewAlready">True if an interrupted run has put the new install in its place.</param>
    /// <param name="cancel">Ends it.</param>
    public ReinstallTarget Looked(ReinstallSurroundings around, bool isNewAlready, CancellationToken cancel)
    {
        var isThere = Directory.Exists(Path) && !isNewAlready;
        var places = new UserPlaces(around.Machine, around.Catalog);
        using var old = isThere ? Folder.Open(Path) : null;
        var before = old is null ? null
            : new Verifier(TimeProvider.System)
            .Verify(Manifest, old, new VerifyOptions { Meter = around.Meter, RememberProven = true }, cancel);
        return this with
        {
            Before = before,
            Build = isNewAlready ? Build : BuildPlan(before, old, around, cancel),
            UserData = isNewAlready ? [] : UserPlaces.With(
                places.Data(Profile, Path, cancel), Path, before?.Strays.Where(around.Wish.Keeps).Select(s => s.Path) ?? [], cancel),
            Leftovers = around.Wish.SweepsLeftovers ? places.Leftovers(Profile, Path, cancel) : [],
            RemoveSkipped = before is not null && Profile.Setup is { } setup
            && before.Problems.Any(p => p.Path == setup.Program && p is not WrongMode)
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

    private RepairPlan BuildPlan(VerifyResult? before, Folder? old, ReinstallSurroundings around, CancellationToken cancel)
    {
        var disk = FileSystemCapabilities.Of(Nearest(Path));
        var nothing = new VerifyResult
        {
            Manifest = Manifest,
            Findings = [.. Manifest.Files.Select(f => new Missing(f)), .. Manifest.Links.Select(l => new Missing(l))],
            BytesRead = 0,
            BytesGood = 0,
            Elapsed = TimeSpan.Zero,
            ModesCompared = disk.KeepsModes,
        };
        using var somewhere = Folder.Open(Nearest(Path));
        using var plan = PreparedRepair.Of(
            nothing, somewhere, new RepairWish { Disk = disk, Renew = around.Wish.IsFresh ? _ => true : null },
            new PieceSearch
            {
                Donor = old is null || around.Wish.IsFresh ? null : (old, before!),
                Places = around.Wish.IsFresh ? null : new LocalPlaces(around.Also, []),
                Meter = around.Meter,
            },
            cancel);
        return plan.Plan;
    }
}

/// <summary>What installs are checked with.</summary>
/// <param name="Machine">The machine.</param>
/// <param name="Catalog">All profiles that are available.</param>
/// <param name="Wish">What is wanted.</param>
/// <param name="Also">Folders to look for pieces in.</param>
/// <param name="Meter">Counts the bytes that are read.</param>
public sealed record ReinstallSurroundings(
    Machine Machine, ProfileCatalog Catalog, ReinstallWish Wish, IReadOnlyList<string> Also, WorkMeter? Meter);
