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
        Description =
            "Where good bytes come from: a URL or a folder that holds the release's files. May be given several times: folders and URLs "
            + "are tried in that order, URLs in a row share the work. Without it, the mirrors that the manifest lists.",
        HelpName = "URL-OR-FOLDER",
    };

    private readonly Option<string[]> also = new("--also")
    {
        Description = "A folder on this machine in which to look for pieces before the network is asked. May be given several times.",
        HelpName = "DIR",
    };
    private readonly Option<bool> offline = new("--offline")
    {
        Description = "Use what is on this machine only: folders named with --from and --also, other installs, the held area.",
    };
    private readonly Option<long?> limitRate = new("--limit-rate")
    {
        CustomParser = result => SizeText.Parse(result, "rate", 1 << 10, 1 << 30),
        Description = "Fetch at most this many bytes a second: 500KiB, 2MiB.",
        HelpName = "SIZE",
    };
    private readonly Option<int> stall = CommonOptions.Seconds(
        "--stall", "After so many seconds without a byte, or with under 1 KiB a second, a transfer is cut and goes on elsewhere", least: 1);

    public void AddTo(Command command)
    {
        foreach (var option in new Option[] { from, also, offline, limitRate, stall })
            command.Options.Add(option);
    }

    public IReadOnlyList<string> Also(ParseResult parsed) => parsed.GetValue(also) is not { } named ? []
        : named.FirstOrDefault(f => !Directory.Exists(f)) is not { } absent ? named
        : throw new MuktaException(
            ExitCode.BadInput, "There is no such folder to look in for pieces.", absent, "Check the path that --also names.");

    public FetchLimits Limits(ParseResult parsed) => new()
    {
        BytesPerSecond = parsed.GetValue(limitRate),
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
        var wish = new SourceWish(Session.UserAgent, Limits(parsed))
        {
            Named = isNamed ? parsed.GetValue(from) ?? [] : [],
            Mirrors = mirrors,
            IsOffline = parsed.GetValue(offline),
        };
        return SourceList.Of(wish, manifest, TimeProvider.System, log);
    }
}
