namespace Mukta.Products;

/// <summary>What a product is.</summary>
public enum ProductKind
{
    /// <summary>A game.</summary>
    Game,

    /// <summary>A launcher.</summary>
    Launcher,

    /// <summary>An anti-cheat module.</summary>
    AntiCheat,
}

/// <summary>How one product is laid out and looked after. Read from YAML; every key is described in docs/profile.md.</summary>
public sealed record Profile
{
    /// <summary>True for what a product's id may be: lower-case letters, digits and hyphens, a letter first, 64 at most.</summary>
    public static bool IsId(string text) =>
        text.Length is > 0 and <= 64 && char.IsAsciiLetterLower(text[0])
        && text.All(c => char.IsAsciiLetterLower(c) || char.IsAsciiDigit(c) || c == '-');

    /// <summary>The product's id: lower-case letters, digits and hyphens.</summary>
    public required string Product { get; init; }

    /// <summary>The product's name for people.</summary>
    public required string Title { get; init; }

    /// <summary>What it is.</summary>
    public required ProductKind Kind { get; init; }

    /// <summary>The ids of the products that it needs.</summary>
    public IReadOnlyList<string> Needs { get; init; } = [];

    /// <summary>Where installs are found.</summary>
    public required InstallPlaces Installs { get; init; }

    /// <summary>Where its manifest is; null if the user has to name one.</summary>
    public ManifestPlace? Manifest { get; init; }

    /// <summary>Named groups of files: globs relative to the install.</summary>
    public IReadOnlyDictionary<string, IReadOnlyList<string>> Components { get; init; } = new Dictionary<string, IReadOnlyList<string>>();

    /// <summary>Names of its processes.</summary>
    public IReadOnlyList<string> Processes { get; init; } = [];

    /// <summary>Its services.</summary>
    public IReadOnlyList<ServiceExpectation> Services { get; init; } = [];

    /// <summary>Its cache folders.</summary>
    public IReadOnlyList<CachePlaces> Caches { get; init; } = [];

    /// <summary>Temporary and partly downloaded files.</summary>
    public IReadOnlyList<PathPattern> Temporary { get; init; } = [];

    /// <summary>What belongs to the user and is never touched.</summary>
    public IReadOnlyList<PathPattern> UserData { get; init; } = [];

    /// <summary>Its shortcuts.</summary>
    public IReadOnlyList<ShortcutExpectation> Shortcuts { get; init; } = [];

    /// <summary>What it needs from the machine.</summary>
    public RuntimeNeeds Runtime { get; init; } = new();

    /// <summary>Programs that get in its way.</summary>
    public IReadOnlyList<Conflict> Conflicts { get; init; } = [];

    /// <summary>Its own settings and local data that may go, so that it starts as new.</summary>
    public IReadOnlyList<PathPattern> Settings { get; init; } = [];

    /// <summary>What its remover leaves behind.</summary>
    public IReadOnlyList<PathPattern> Leftovers { get; init; } = [];

    /// <summary>The vendor's setup program; null if there is none.</summary>
    public SetupProgram? Setup { get; init; }

    /// <summary>Its logs.</summary>
    public IReadOnlyList<PathPattern> Logs { get; init; } = [];

    /// <summary>Says whether the product works; null if there is no such program.</summary>
    public ProductProbe? Probe { get; init; }

    /// <summary>Error codes and symptoms.</summary>
    public IReadOnlyList<ComplaintCode> Codes { get; init; } = [];

    /// <summary>What can be tried, in the order in which the profile's author would.</summary>
    public IReadOnlyList<Rung> Ladder { get; init; } = [];

    /// <summary>The vendor's outage page.</summary>
    public Uri? Outage { get; init; }

    /// <summary>The profile with the variables in arguments and environments replaced by the folders that they stand for.</summary>
    /// <param name="folderOf">The folder of a variable.</param>
    public Profile With(Func<string, string> folderOf)
    {
        IReadOnlyList<string> All(IReadOnlyList<string> texts) => [.. texts.Select(t => VariableText.Expand(t, folderOf))];
        return this with
        {
            Shortcuts =
            [.. Shortcuts.Select(s => s with
            {
                Arguments = All(s.Arguments),
                Environment = s.Environment.ToDictionary(
                    e => e.Key, e => VariableText.Expand(e.Value, folderOf), StringComparer.Ordinal),
            })],
            Setup = Setup is null ? null : Setup with
            {
                Actions = Setup.Actions.ToDictionary(
                    a => a.Key, a => a.Value with { Arguments = All(a.Value.Arguments) }, StringComparer.Ordinal),
            },
            Probe = Probe is null ? null : Probe with { Arguments = All(Probe.Arguments) },
        };
    }
}

/// <summary>Where installs of a product are found.</summary>
/// <param name="Places">Candidate folders, first choice first.</param>
/// <param name="Marker">A file that tells an install from an empty folder, relative to the install.</param>
/// <param name="FolderPerRelease">True if each place holds one folder a release, the newest being the current one.</param>
public sealed record InstallPlaces(IReadOnlyList<PathPattern> Places, string? Marker, bool FolderPerRelease);

/// <summary>Where a product's manifest is.</summary>
/// <param name="Location">A file (relative to the profile's folder, or absolute) or a URL.</param>
/// <param name="Trust">Certificates that its signature has to lead to, PEM files.</param>
/// <param name="Mirrors">Mirrors to use beside the manifest's own.</param>
/// <param name="FreshFor">How long one on the network is used before it is asked for again.</param>
public sealed record ManifestPlace(string Location, IReadOnlyList<string> Trust, IReadOnlyList<Uri> Mirrors, TimeSpan FreshFor)
{
    /// <summary>The channel of an index of releases, where that is at the location; null if the manifest itself is.</summary>
    public string? Channel { get; init; }

    /// <summary>
    /// The address of any release's manifest, with <see cref="ReleaseVariable"/> in the place of its version; null if there is none.
    /// </summary>
    public string? UrlOfRelease { get; init; }

    /// <summary>Stands for a release's version in an address.</summary>
    public const string ReleaseVariable = "${release}";

    /// <summary>The address of a release's manifest.</summary>
    /// <exception cref="MuktaException">The version cannot be a part of an address.</exception>
    public static Uri UrlOf(string template, string release) => release is not ("." or "..")
        && Uri.TryCreate(
            template.Replace(ReleaseVariable, Uri.EscapeDataString(release), StringComparison.Ordinal), UriKind.Absolute, out var url) ? url
        : throw new MuktaException(
            ExitCode.BadInput, "This version cannot be a part of an address.", Disk.PathBytes.Shown(release), "Check the version.");
}

/// <summary>A service as it should be.</summary>
/// <param name="Unit">The unit's name, such as <c>tidewarden.service</c>.</param>
/// <param name="Startup">Expected startup mode: enabled, disabled or static.</param>
/// <param name="State">Expected state: active or inactive.</param>
/// <param name="After">Units of this profile that have to be up before.</param>
public sealed record ServiceExpectation(string Unit, string Startup, string State, IReadOnlyList<string> After);

/// <summary>A cache.</summary>
/// <param name="Name">What to call it.</param>
/// <param name="Places">Its folders.</param>
/// <param name="Holds">What it holds, in words.</param>
/// <param name="Clearing">When it may be cleared.</param>
public sealed record CachePlaces(string Name, IReadOnlyList<PathPattern> Places, string? Holds, CacheClearing Clearing);

/// <summary>When a cache may be cleared.</summary>
public enum CacheClearing
{
    /// <summary>Whenever caches are: nothing is lost by it.</summary>
    Usual,

    /// <summary>Only if its name is given: it costs the player something, such as signing in again.</summary>
    ByName,

    /// <summary>Not at all.</summary>
    Never,
}

/// <summary>A shortcut as it should be (freedesktop Desktop Entry specification).</summary>
/// <param name="Entry">The <c>.desktop</c> file.</param>
/// <param name="Program">The program, relative to the install.</param>
/// <param name="Arguments">Arguments that have to be there.</param>
/// <param name="Environment">Variables that have to be set.</param>
/// <param name="Folder">The working folder.</param>
public sealed record ShortcutExpectation(
    PathPattern Entry, string Program, IReadOnlyList<string> Arguments, IReadOnlyDictionary<string, string> Environment,
    PathPattern? Folder);

/// <summary>What a product needs from the machine.</summary>
public sealed record RuntimeNeeds
{
    /// <summary>Programs whose libraries are checked, relative to the install.</summary>
    public IReadOnlyList<string> Programs { get; init; } = [];

    /// <summary>True if the profile asks for nothing.</summary>
    public bool IsEmpty => Programs.Count == 0 && Kernel is null && Libc is null && Drivers.Count == 0
        && Memory is null && OpenFiles is null;

    /// <summary>The lowest kernel version.</summary>
    public Version? Kernel { get; init; }

    /// <summary>The lowest version of the C library.</summary>
    public Version? Libc { get; init; }

    /// <summary>The lowest versions of graphics drivers, by the names of their kernel modules.</summary>
    public IReadOnlyDictionary<string, Version> Drivers { get; init; } = new Dictionary<string, Version>();

    /// <summary>The least memory, in bytes; swap counts.</summary>
    public long? Memory { get; init; }

    /// <summary>How many files it has to be able to open.</summary>
    public int? OpenFiles { get; init; }

    /// <summary>The folder of a compatibility layer, for programs made for another system.</summary>
    public PathPattern? Layer { get; init; }

    /// <summary>Which package of the system brings a library.</summary>
    public IReadOnlyDictionary<string, string> Packages { get; init; } = new Dictionary<string, string>();
}

/// <summary>A program that gets in the way of a product.</summary>
/// <param name="Name">What to call it.</param>
/// <param name="Processes">Names of its processes.</param>
/// <param name="Units">Its services.</param>
/// <param name="Why">Why it counts, in words; null if the profile does not say.</param>
public sealed record Conflict(string Name, IReadOnlyList<string> Processes, IReadOnlyList<string> Units, string? Why);

/// <summary>The vendor's setup program.</summary>
/// <param name="Program">Relative to the install.</param>
/// <param name="Actions">What it can do: install, repair, remove.</param>
/// <param name="Then">What has to be true afterwards.</param>
public sealed record SetupProgram(string Program, IReadOnlyDictionary<string, SetupAction> Actions, SetupResult Then);

/// <summary>One thing that a setup program does.</summary>
/// <param name="Arguments">Its arguments; no shell sees them.</param>
/// <param name="TimeLimit">After which it counts as hanging.</param>
/// <param name="Done">Exit codes that mean done.</param>
/// <param name="Restart">Exit codes that mean done once the machine is restarted.</param>
public sealed record SetupAction(IReadOnlyList<string> Arguments, TimeSpan TimeLimit, IReadOnlyList<int> Done, IReadOnlyList<int> Restart);

/// <summary>What has to be true after a setup program has run.</summary>
/// <param name="Active">Units that have to be active.</param>
/// <param name="Files">Files that have to be there, relative to the install.</param>
public sealed record SetupResult(IReadOnlyList<string> Active, IReadOnlyList<string> Files);
