using System.Text;
using Mukta.Disk;

namespace Mukta.Products;

/// <summary>Reads a profile, strictly: what it does not know, it refuses, with line, column and the nearest known key.</summary>
[OutsideReader]
public static class ProfileReader
{
    /// <summary>What the key <c>format</c> has to say.</summary>
    public const string Format = "mukta.profile/1";

    private const long LongestFile = 1 << 20;

    private static readonly string[] SetupActions = ["install", "repair", "remove"];

    /// <summary>Reads a profile from a file on this machine.</summary>
    /// <exception cref="ProfileFault">It is not a profile that can be used.</exception>
    /// <exception cref="MuktaException">It cannot be opened.</exception>
    public static Profile ReadFile(string path)
    {
        try
        {
            using var stream = InputFile.Open(path, InputFile.AnyLength);
            if (stream.Length > LongestFile)
                throw new ProfileFault($"A profile has at most {LongestFile} bytes; this file has {stream.Length}.", path, 1, 1);
            using var text = new StreamReader(stream, new UTF8Encoding(false, throwOnInvalidBytes: true));
            return Read(text, path);
        }
        catch (DecoderFallbackException e)
        {
            throw new ProfileFault("A profile is written in UTF-8; this file is not.", path, 1, 1, e);
        }
        catch (Exception e) when (e is IOException or UnauthorizedAccessException or DiskException)
        {
            throw new MuktaException(
                ExitCode.BadInput, "The profile cannot be opened.", path, "Check the path and that you may read the file.", e);
        }
    }

    /// <summary>Reads a profile.</summary>
    /// <param name="text">YAML.</param>
    /// <param name="source">What to call it in messages.</param>
    /// <exception cref="ProfileFault">It is not a profile that can be used.</exception>
    public static Profile Read(TextReader text, string source)
    {
        var fields = new ProfileFields(ProfileNode.Read(text, source, "profile"), source, "profile");
        fields.Choice("format", null, Format);
        var product = Id(fields);
        var needs = fields.Names("needs", "a product");
        var ladder = LadderReader.Rungs(fields);
        return new Profile
        {
            Product = product,
            Title = fields.RequiredText("title"),
            Kind = fields.Choice(
            "kind", null, "game", "launcher", "anti-cheat") switch
            {
                "game" => ProductKind.Game,
                "launcher" => ProductKind.Launcher,
                _ => ProductKind.AntiCheat
            },
            Needs = needs.Contains(product) ? throw fields.Fault("needs", "A product cannot need itself.") : needs,
            Installs = Installs(fields.Fields("installs", "installs") ?? throw fields.Missing("key \"installs\"")),
            Manifest = fields.Fields("manifest", "manifest") is { } manifest ? ManifestPlace(manifest) : null,
            Components = fields.GlobLists("components"),
            Processes = fields.Names("processes", "a process"),
            Services = [.. fields.EachFields("services", "service").Select(Service)],
            Caches = [.. fields.EachFields("caches", "cache").Select(Cache)],
            Temporary = fields.Places("temporary"),
            UserData = fields.Places("user-data"),
            Shortcuts = [.. fields.EachFields("shortcuts", "shortcut").Select(Shortcut)],
            Runtime = fields.Fields("runtime", "runtime") is { } runtime ? Runtime(runtime) : new RuntimeNeeds(),
            Conflicts = [.. fields.EachFields("conflicts", "conflict").Select(Conflict)],
            Settings = fields.Places("settings"),
            Logs = fields.Places("logs"),
            Probe = LadderReader.Probe(fields),
            Codes = LadderReader.Codes(fields, ladder),
            Ladder = ladder,
            Leftovers = fields.Places("leftovers"),
            Setup = fields.Fields("setup", "setup") is { } setup ? Setup(setup) : null,
            Outage = fields.Fields("outage", "outage") is { } outage ? outage.Url("url") ?? throw outage.Missing("key \"url\"") : null,
        };
    }

    private static string Id(ProfileFields fields)
    {
        var id = fields.RequiredText("product");
        return Profile.IsId(id)
            ? id
            : throw fields.Fault(
            "product", $"The product's id \"{Disk.PathBytes.Shown(id)}\" is not made of lower-case letters, digits and hyphens.");
    }

    private static InstallPlaces Installs(ProfileFields fields)
    {
        var places = fields.Places("places");
        if (places.Count == 0)
            throw fields.Missing("places");
        if (places.Any(p => p.Variable == "install"))
            throw fields.Fault("places", "An install cannot be found below ${install}: that is what is looked for.");
        return new InstallPlaces(
            places, fields.Inside("marker"), fields.Choice("layout", "single", "single", "folder-per-release") == "folder-per-release");
    }

    private static ManifestPlace ManifestPlace(ProfileFields fields)
    {
        var url = fields.Url("url");
        var ofRelease = url?.OriginalString.Contains(Products.ManifestPlace.ReleaseVariable, StringComparison.Ordinal) == true
            ? url.OriginalString : null;
        if ((fields.Has("file") ? 1 : 0) + (url is not null && ofRelease is null ? 1 : 0) + (fields.Has("index") ? 1 : 0) > 1
            || (!fields.Has("file") && url is null && !fields.Has("index")) || (fields.Has("file") && ofRelease is not null))
        {
            throw fields.Fault(
                "The manifest needs one of the keys \"file\", \"url\" and \"index\". Only a \"url\" with ${release} goes with an index.");
        }

        if (fields.Has("channel") && !fields.Has("index"))
            throw fields.Fault("channel", "Only an index of releases has channels.");
        return new ManifestPlace(
            fields.Text("file") ?? fields.Url("index")?.AbsoluteUri ?? ofRelease ?? url!.AbsoluteUri, fields.Texts("trust"),
            fields.Urls("mirrors"),
            fields.Has("fresh-for") ? fields.Duration("fresh-for") : Fetching.PublishedManifests.UsuallyFresh)
        {
            UrlOfRelease = ofRelease,
            Channel = fields.Has("index") ? fields.Text("channel") ?? Manifests.ReleaseIndex.UsualChannel : null,
        };
    }

    private static ServiceExpectation Service(ProfileFields fields) => new(
        fields.RequiredWord("unit", "a unit"), fields.Choice("startup", "enabled", "enabled", "disabled", "static"),
        fields.Choice("state", "active", "active", "inactive"), fields.Names("after", "a unit"));

    private static CachePlaces Cache(ProfileFields fields)
    {
        var places = fields.Places("places");
        return places.Count > 0
            ? new CachePlaces(fields.RequiredWord("name", "a cache"), places, fields.Text("holds"), Clearing(fields))
            : throw fields.Missing("places");
    }

    private static CacheClearing Clearing(ProfileFields fields) =>
        fields.Choice("clear", "yes", "yes", "by-name", "no", "true", "false") switch
        {
            "yes" or "true" => CacheClearing.Usual,
            "by-name" => CacheClearing.ByName,
            _ => CacheClearing.Never,
        };

    private static ShortcutExpectation Shortcut(ProfileFields fields) => new(
        fields.RequiredShortcut("entry"), fields.RequiredInside("program"), fields.VariableTexts("arguments"),
        fields.VariablePairs("environment"), fields.Path("folder"));

    private static RuntimeNeeds Runtime(ProfileFields fields) => new()
    {
        Programs = fields.Insides("programs"),
        Kernel = fields.Version("kernel"),
        Libc = fields.Version("libc"),
        Drivers = fields.Versions("drivers"),
        Memory = fields.Size("memory", 1 << 20, 1L << 42),
        OpenFiles = fields.Has("open-files") ? fields.Number("open-files", 0, 1, 1 << 30) : null,
        Layer = fields.Path("layer"),
        Packages = fields.TextPairs("packages"),
    };

    private static Conflict Conflict(ProfileFields fields)
    {
        var (processes, units) = (fields.Names("processes", "a process"), fields.Names("units", "a unit"));
        return processes.Count + units.Count > 0
            ? new Conflict(fields.RequiredWord("name", "a conflict"), processes, units, fields.Text("why"))
            : throw fields.Missing("key \"processes\" or \"units\"");
    }

    private static SetupProgram Setup(ProfileFields fields)
    {
        var actions = SetupActions.Where(fields.Has)
            .ToDictionary(a => a, a => Action(fields.Fields(a, "setup action")!), StringComparer.Ordinal);
        if (actions.Count == 0)
            throw fields.Fault("The setup needs an action: install, repair or remove.");
        var then = fields.Fields("then", "setup result");
        return new SetupProgram(fields.RequiredInside(
            "program"), actions, new SetupResult(then?.Names("active", "a unit") ?? [], then?.Insides("files") ?? []));
    }

    private static SetupAction Action(ProfileFields fields) => new(
        fields.VariableTexts("arguments"), TimeSpan.FromMinutes(fields.Number("minutes", 10, 1, 600)), fields.Numbers("done", [0], 0, 255),
        fields.Numbers("restart", [], 0, 255));
}
