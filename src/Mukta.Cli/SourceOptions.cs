using System.CommandLine;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Remedies;
using Serilog;

namespace Mukta.Cli;

/// <summary>The options with which a command is told where good bytes come from, and how to fetch them.</summary>
internal sealed class SourceOptions
{
    private readonly Option<string[]> from = new("--from")
    {
        Description = "Take files from this mirror, folder or bundle. Default: the manifest's mirrors.",
        HelpName = "URL|DIR",
    };

    private readonly Option<string[]> also = new("--also")
    {
        Description = "Also take pieces from this local folder before downloading.",
        HelpName = "DIR",
    };
    private readonly Option<bool> offline = new("--offline")
    {
        Description = "Use only what is on this machine.",
    };
    private readonly Option<long?> maxRate = new("--max-rate")
    {
        CustomParser = result => SizeText.Parse(result, "rate", 1 << 10, 1 << 30),
        Description = "Download at most SIZE a second, such as 500KiB or 2MiB.",
        HelpName = "SIZE",
    };
    private readonly Option<int> stall = CommonOptions.Seconds(
        "--stall", "Drop a transfer that has been silent this long", least: 1);

    /// <summary>False for a command that downloads, and has no install to take pieces to.</summary>
    public bool TakesAlso { get; init; } = true;

    public void AddTo(Command command)
    {
        foreach (var option in new Option[] { from, also, offline, maxRate, stall }.Where(o => TakesAlso || o != also))
            command.Options.Add(option);
    }

    /// <summary>
    /// The manifest of a product in the bundle that is named as its source, where the product's own is on the network and has to be
    /// signed: what nobody vouches for is not taken from a stick unasked. Null if there is none to be taken.
    /// </summary>
    public LazyManifest? BundledManifest(ParseResult parsed, Session session, Product product)
    {
        var loaded = product.Loaded;
        if (loaded.Trust.Count == 0 || (loaded.ManifestUrl is null && !loaded.HasReleases)
            || (parsed.GetValue(from) ?? []).FirstOrDefault(Bundle.IsAt) is not { } path)
            return null;
        using var bundle = Bundle.Open(path);
        return bundle.ManifestOf(product.Profile.Product) is { } file
            ? Session.Published(parsed, session).OfCopy(file, loaded.Trust, product.Profile.Product) : null;
    }

    /// <summary>The folders that are named, and those of the settings that are there just now.</summary>
    public IReadOnlyList<string> Also(ParseResult parsed) =>
        (parsed.GetValue(also) ?? []).FirstOrDefault(f => !Directory.Exists(f)) is not { } absent
        ? [.. parsed.GetValue(also) ?? [], .. UserSettings.Now.Also.Where(Directory.Exists)]
        : throw new MuktaException(
            ExitCode.BadInput, "This folder does not exist.", absent, "Check the path that --also names.");

    public FetchLimits Limits(ParseResult parsed) => new()
    {
        BytesPerSecond = parsed.GetValue(maxRate) ?? UserSettings.Now.MaxRate,
        LongestSilence = TimeSpan.FromSeconds(parsed.GetValue(stall)),
    };

    /// <summary>
    /// A reinstall of a product whose bytes come from where the options say; of those that it needs, from their own mirrors.
    /// </summary>
    public ReinstallRequest RequestOf(ParseResult parsed, Product product, ILogger log) => new()
    {
        Command = "reinstall",
        Limits = Limits(parsed),
        Also = Also(parsed),
        GuardOf = product.GuardOf,
        SourcesOf = (loaded, manifest) => Sources(
            parsed, loaded.Profile.Manifest?.Mirrors ?? [], manifest, log, isNamed: loaded.Profile.Product == product.Profile.Product),
    };

    /// <summary>Where the bytes of a release come from.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="mirrors">Mirrors that are tried before the manifest's own.</param>
    /// <param name="manifest">The release.</param>
    /// <param name="log">Takes diagnostics.</param>
    /// <param name="isNamed">False for a product that is only needed: what is named with --from is not its.</param>
    public SourceList Sources(ParseResult parsed, IReadOnlyList<Uri> mirrors, Manifest manifest, ILogger log, bool isNamed = true)
    {
        var wish = new SourceWish(UserSettings.Http, Limits(parsed))
        {
            Named = isNamed ? parsed.GetValue(from) ?? [] : [],
            Mirrors = [.. UserSettings.Now.MirrorsOf(manifest.Product), .. mirrors],
            IsOffline = parsed.GetValue(offline),
        };
        return SourceList.Of(wish, manifest, TimeProvider.System, log);
    }
}
