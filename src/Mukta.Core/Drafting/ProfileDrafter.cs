using System.Text.RegularExpressions;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Services;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Drafting;

/// <summary>What a profile is to be drafted of.</summary>
/// <param name="Product">The product's id.</param>
/// <param name="Install">Its install.</param>
/// <param name="Machine">The machine.</param>
public sealed record DraftRequest(string Product, string Install, Machine Machine)
{
    /// <summary>Shortcuts that the user names; they need not start something of the install.</summary>
    public IReadOnlyList<string> Shortcuts { get; init; } = [];

    /// <summary>The list of the install's files, and how the profile is to name it; null for none.</summary>
    public (Manifest Manifest, string Location)? Manifest { get; init; }

    /// <summary>How long its processes are watched.</summary>
    public TimeSpan Watch { get; init; }

    /// <summary>Profiles of other products, which this one may need.</summary>
    public IReadOnlyList<LoadedProfile> Others { get; init; } = [];
}

/// <summary>
/// Drafts a profile from what is seen on this machine: the install, the user's folders, shortcuts, services, processes. It names only
/// what a profile may name, so that the draft can be used as it is; each line says how it is known.
/// </summary>
/// <param name="services">The machine's service manager.</param>
/// <param name="time">For watching.</param>
public sealed partial class ProfileDrafter(IServiceControl services, TimeProvider time)
{
    private const int MostProcesses = 40;
    private static readonly string[] SmallWords = ["a", "an", "and", "at", "for", "in", "of", "on", "or", "the", "to"];

    /// <summary>Drafts the profile.</summary>
    /// <exception cref="MuktaException">The install cannot be read, or is at a place that no profile may name.</exception>
    public async Task<DraftMap> DraftAsync(DraftRequest request, CancellationToken cancel)
    {
        using var folder = Folder.Open(request.Install);
        request = request with { Install = folder.RealPath };
        if (new DraftPlaces(request.Machine, request.Install).PlaceOfInstall() is not { } place)
        {
            throw new MuktaException(
                ExitCode.BadInput, "A profile cannot name this folder as an install: it is not a product's own.", request.Install,
                "Name the folder that holds only this product, such as ~/games/NAME or /opt/NAME.");
        }

        var seen = await SeenProduct.LookAsync(folder, request, services, time, cancel).ConfigureAwait(false);
        var (draft, installs) = (new DraftMap(), new DraftMap());
        draft.Add("format", new DraftText(ProfileReader.Format, null));
        draft.Add("product", new DraftText(request.Product, null));
        AddTitle(draft, seen);
        AddKind(draft, seen, place);
        draft.Add("needs", Needs(seen));
        installs.Add("places", new DraftList([DraftText.Of(place, DraftTrust.Seen, "the folder that was named")]));
        if (seen.Main is { } main)
            installs.Add("marker", main.Path, DraftTrust.Likely, "its main program");
        draft.Add("installs", installs);
        if (request.Manifest is { } manifest)
        {
            var location = new DraftMap();
            location.Add("file", manifest.Location, DraftTrust.Seen, $"lists {Units.Count(manifest.Manifest.Files.Count, "file")}");
            draft.Add("manifest", location);
        }

        draft.Add("components", Components(seen));
        draft.Add("processes", Processes(seen));
        draft.Add("services", await ServicesAsync(seen, cancel).ConfigureAwait(false));
        AddPlaces(draft, seen);
        draft.Add("shortcuts", SeenShortcut.Draft(seen.Shortcuts, seen.Main, seen.Places));
        draft.Add("runtime", await RuntimeDraft.OfAsync(request, seen.Contents, cancel).ConfigureAwait(false));
        draft.Add("setup", SetupDraft.Of(request.Install, seen.Contents, seen.Main, seen.Units));
        AddOutage(draft, seen);
        return draft;
    }

    /// <summary>True for what a profile takes as the name of a process or unit.</summary>
    internal static bool IsWord(string name) => Word().IsMatch(name);

    private static void AddTitle(DraftMap draft, SeenProduct seen)
    {
        if (seen.Shortcuts.Select(s => s.File.Get("Name")).FirstOrDefault(n => n is { Length: > 0 } && !n.Any(char.IsControl)) is { } name)
            draft.Add("title", name, DraftTrust.Seen, "the shortcut's name");
        else
        {
            var words = seen.Request.Product.Split('-').Select(
                (w, i) => w.Length == 0 || (i > 0 && SmallWords.Contains(w)) ? w : char.ToUpperInvariant(w[0]) + w[1..]);
            draft.Add("title", string.Join(' ', words), DraftTrust.Check, "made of the id");
        }
    }

    private static void AddKind(DraftMap draft, SeenProduct seen, string place)
    {
        var (kind, why) = seen.Units.Count > 0 && seen.Shortcuts.Count == 0 ? ("anti-cheat", "it has a service and no shortcut")
            : place.Contains("launcher", StringComparison.OrdinalIgnoreCase) ? ("launcher", "the install's path says so")
            : seen.Contents.Programs.Any(p => p.Stem.EndsWith("-tray", StringComparison.Ordinal)) ? ("launcher", "it has a tray program")
            : ("game", "nothing says launcher or anti-cheat");
        draft.Add("kind", kind, DraftTrust.Check, why);
    }

    /// <summary>The products whose files it has open, or that its settings name.</summary>
    private static DraftList Needs(SeenProduct seen)
    {
        var (needs, texts) = (new List<DraftNode>(), seen.Texts());
        foreach (var other in seen.Request.Others.Where(o => o.Profile.Product != seen.Request.Product))
        {
            var product = other.Profile.Product;
            var installs = new InstallFinder(seen.Request.Machine.Folders).Find(other.Profile, (LazyManifest?)null, [])
                .Select(i => Folder.RealPathOf(i.Path)).ToList();
            if (seen.Watched.Files.Keys.FirstOrDefault(f => installs.Any(i => DraftPlaces.Inside(f, i) is not null)) is { } opened)
                needs.Add(DraftText.Of(product, DraftTrust.Seen, $"it has a file of it open, {Path.GetFileName(opened)}"));
            else if (texts.FirstOrDefault(t => Regex.IsMatch(t.Text, $@"(?<![\w-]){product}(?![\w-])")) is { Path: { } path })
                needs.Add(DraftText.Of(product, DraftTrust.Check, $"named in {seen.Places.Pattern(path)}"));
        }

        return new DraftList(needs);
    }

    private static DraftMap Components(SeenProduct seen)
    {
        var components = new DraftMap();
        foreach (var (folder, count) in seen.Contents.Folders)
        {
            var (pattern, name) = folder.Length == 0 ? ("*", "top") : (folder, ComponentName().Replace(folder, "-").Trim('-'));
            if (name.Length > 0 && folder.IndexOfAny(['*', '?']) < 0 && ManifestPath.Fault(pattern) is null
                && components.Pairs.All(p => p.Key != name))
                components.Add(name, new DraftList([DraftText.Of(pattern, DraftTrust.Seen, Units.Count(count, "file"))]));
        }

        return components;
    }

    private static DraftList Processes(SeenProduct seen)
    {
        var running = seen.Watched.Programs.Select(p => Path.GetFileName(p)!).ToHashSet(StringComparer.Ordinal);
        return new DraftList(
        [
            .. seen.Contents.Programs.Where(p => !p.IsSetup && !p.IsScript && IsWord(p.Name)).DistinctBy(p => p.Name).Take(MostProcesses)
                .Select(p => running.Contains(p.Name) ? DraftText.Of(p.Name, DraftTrust.Seen, "it runs now")
                : DraftText.Of(p.Name, DraftTrust.Likely, p.Kind)),
        ]);
    }

    private async Task<DraftList> ServicesAsync(SeenProduct seen, CancellationToken cancel)
    {
        var states = await services.StatesAsync([.. seen.Units.Select(u => u.Unit)], cancel).ConfigureAwait(false);
        return new DraftList([.. seen.Units.Zip(states).Select(pair =>
        {
            var (unit, state) = pair;
            var service = new DraftMap();
            service.Add("unit", unit.Unit, DraftTrust.Seen, $"it starts {Path.GetFileName(unit.Program)}");
            var (startup, trust) = state.Startup is "enabled" or "disabled" or "static" ? (state.Startup, DraftTrust.Seen)
                : ("enabled", DraftTrust.Check);
            service.Add("startup", startup, trust, $"now {(state.Startup.Length > 0 ? state.Startup : "not known")}");
            service.Add("state", state.Active == "active" ? "active" : "inactive", DraftTrust.Seen, $"now {state.Active ?? "not known"}");
            return service;
        })]);
    }

    private static void AddPlaces(DraftMap draft, SeenProduct seen)
    {
        var home = seen.Home;
        draft.Add("caches", new DraftList(
            [.. home.Caches.Where(c => seen.Places.Allowed(c.Pattern) is not null).Select(c => Cache(seen, c))]));
        draft.Add("temporary", seen.Places.List(home.Temporary, DraftTrust.Likely));
        var written = seen.Watched.Files.Where(f => f.Value && DraftPlaces.Inside(f.Key, seen.Request.Install) is null)
            .Select(f => seen.Places.OwnFolderOf(f.Key)).OfType<string>()
            .Where(f => seen.Places.Pattern(f).StartsWith("${home}", StringComparison.Ordinal)).Distinct(StringComparer.Ordinal);
        draft.Add("user-data", new DraftList(
        [
            .. seen.Places.List(home.UserData, DraftTrust.Check).Items,
            .. seen.Places.List(seen.Contents.Strays.Where(DraftPlaces.IsLiteral).Select(
                s => new Trace(Path.Join(seen.Request.Install, s), "in the install, and not in its manifest")), DraftTrust.Likely).Items,
            .. seen.Places.List(written.Select(w => new Trace(w, "a process of it writes there")), DraftTrust.Seen).Items,
        ]));
        draft.Add("settings", seen.Places.List(home.Settings, DraftTrust.Likely));
        draft.Add("leftovers", seen.Places.List(
            home.Settings.Concat(home.CacheFolders).Select(s => s with { Why = "removing the product may leave it behind" }),
            DraftTrust.Check));
    }

    private static DraftMap Cache(SeenProduct seen, CacheTrace cache)
    {
        var draft = new DraftMap();
        draft.Add("name", new DraftText(cache.Name, null));
        draft.Add("places", new DraftList([DraftText.Of(seen.Places.Allowed(cache.Pattern)!, DraftTrust.Likely, cache.Why)]));
        if (cache.SignsIn)
            draft.Add("clear", "by-name", DraftTrust.Check, "by its name, clearing it may ask for the password again");
        return draft;
    }

    private static void AddOutage(DraftMap draft, SeenProduct seen)
    {
        foreach (var (path, text) in seen.Texts())
        {
            if (StatusPage().Match(text) is { Success: true } found && Uri.TryCreate(found.Value, UriKind.Absolute, out _))
            {
                var outage = new DraftMap();
                outage.Add("url", found.Value, DraftTrust.Check, $"named in {seen.Places.Pattern(path)}");
                draft.Add("outage", outage);
                return;
            }
        }
    }

    [GeneratedRegex(@"^[\p{L}\p{Nd}][\p{L}\p{Nd}\-_.@:+]{0,127}$", RegexOptions.CultureInvariant)]
    private static partial Regex Word();

    [GeneratedRegex("[^a-z0-9]+", RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex ComponentName();

    [GeneratedRegex(@"https?://[^\s""'<>]{1,200}?(status|health|outage)[^\s""'<>]{0,200}",
        RegexOptions.CultureInvariant | RegexOptions.IgnoreCase)]
    private static partial Regex StatusPage();
}
