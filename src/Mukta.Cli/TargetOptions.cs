using System.CommandLine;
using Mukta.Cli.Help;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Remedies;
using Mukta.Repair;

namespace Mukta.Cli;

/// <summary>
/// The arguments with which a command is told its install: a folder with a manifest, or a product that a profile describes.
/// </summary>
/// <param name="mayBeNew">True for a command that can make the install: its folder need not be there.</param>
internal sealed class TargetOptions(bool mayBeNew = false)
{
    private readonly Argument<string?> what = new Argument<string?>("INSTALL")
    {
        Description = "An install's folder, or a product id. Default: this folder.",
        Arity = ArgumentArity.ZeroOrOne,
    }.WithProducts();
    private readonly Option<string?> manifest = new("--manifest")
    {
        Description = "Use this manifest instead of the profile's. A folder needs one.",
        HelpName = "FILE|URL",
    };
    private readonly Option<string?> trust = new("--trust")
    {
        Description = "Require a signature under a certificate in FILE.",
        HelpName = "FILE",
    };
    private readonly Option<string?> release = new("--release")
    {
        Description = mayBeNew ? "Go to this release, also back to an older one." : "Compare with this release.",
        HelpName = "VERSION",
    };
    private readonly ProductChoice choice = new() { MayBeNew = mayBeNew };

    /// <summary>The manifest of a product in the bundle that is named as its source; null if there is none to be taken.</summary>
    public Func<ParseResult, Session, Product, LazyManifest?>? BundledManifest { get; init; }

    /// <summary>False for a command that does not compare the install with its manifest.</summary>
    public bool IsCompared { get; init; } = true;

    public void AddTo(Command command)
    {
        command.Arguments.Add(what);
        command.Options.Add(manifest);
        if (IsCompared)
        {
            command.Options.Add(trust);
            command.Options.Add(release);
        }

        choice.AddTo(command);
    }

    /// <summary>The product that is named; null for a folder.</summary>
    public Product? Product(ParseResult parsed) =>
        parsed.GetValue(what) is { } named && !IsFolder(parsed, named) ? choice.Product(parsed, named) : null;

    /// <summary>
    /// The product that is named, where no install of it is there, or where making its first one was interrupted; null otherwise.
    /// </summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="command">The command.</param>
    public Product? Absent(ParseResult parsed, string command)
    {
        var named = parsed.GetValue(what) ?? ".";
        if (IsFolder(parsed, named))
            return null;
        var product = choice.Product(parsed, named);
        return Operation.FindInterrupted(product.Machine.Home, command, product.Profile.Product) is not null
            || (choice.Named(parsed) is null && (NewPlace(parsed) is not null || (HasNone(product) && FolderInItsPlace(product) is null)))
            ? product : null;
    }

    private static bool HasNone(Product product) =>
        new ReinstallChoice(product.Machine, product.Catalog).Installs(product.Loaded).Count == 0;

    /// <summary>A folder that is where the product belongs, whatever is in it; null for none.</summary>
    private static string? FolderInItsPlace(Product product) =>
        new ReinstallChoice(product.Machine, product.Catalog).NewPlace(product.Loaded) is var place && Directory.Exists(place)
        ? place : null;

    /// <summary>The folder that is named and is not there yet; null for none.</summary>
    public string? NewPlace(ParseResult parsed) => choice.NewPlace(parsed);

    /// <summary>The install that is named, there or not; null for none.</summary>
    public string? NamedInstall(ParseResult parsed) => choice.Named(parsed) ?? choice.NewPlace(parsed);

    /// <summary>The manifest that is named; null for the profile's own.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="session">Says that one that was kept is used.</param>
    /// <param name="product">The product that it is for; null for a folder, which no profile says anything about.</param>
    public LazyManifest? ManifestFile(ParseResult parsed, Session session, Product? product)
    {
        if (parsed.GetValue(manifest) is not { } file)
        {
            return !IsGiven(parsed, trust) ? product is null ? null : BundledManifest?.Invoke(parsed, session, product)
                : throw new MuktaException(
                ExitCode.BadInput, "--trust is for a manifest that is named.", Shell.Typed(parsed),
                "Name the manifest with --manifest, or put the certificates into the profile (manifest, trust).");
        }

        var path = StandardInput.FileOf(file);
        List<string> anchors = [.. product?.Loaded.Trust ?? []];
        if (IsGiven(parsed, trust))
            anchors.Add(parsed.GetValue(trust)!);
        return !PublishedManifests.IsUrl(path) ? new LazyManifest(path, anchors) { Product = product?.Profile.Product }
            : Session.Published(parsed, session).Of(new Uri(path), anchors, TimeSpan.Zero, product?.Profile.Product);
    }

    /// <summary>Says of a folder's manifest that nobody vouches for it; last, since the verdict comes first.</summary>
    public void SayUnchecked(ParseResult parsed, Session session)
    {
        if (IsFolder(parsed, parsed.GetValue(what) ?? ".") && parsed.GetValue(manifest) is not null && !IsGiven(parsed, trust)
            && !session.IsJson)
            session.Say("The manifest's signature was not checked: no certificate was named with --trust.");
    }

    /// <summary>The release that is named; null for none.</summary>
    public string? Release(ParseResult parsed) => IsGiven(parsed, release) ? parsed.GetValue(release) : null;

    /// <summary>The machine that is meant.</summary>
    public Machine Machine(ParseResult parsed) => choice.Machine(parsed);

    /// <summary>True for a path, and for a name that is a folder's and no product's.</summary>
    private bool IsFolder(ParseResult parsed, string named) =>
        named.Contains('/', StringComparison.Ordinal) || named is "." or ".." || (Directory.Exists(named) && !choice.Knows(parsed, named));

    /// <summary>Finds what the user means. A product counts before a folder of the same name; a path has a slash.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="session">For a question.</param>
    /// <param name="needsManifest">False for a command that only needs to know the folder.</param>
    /// <param name="cancel">Ends a question.</param>
    /// <exception cref="MuktaException">It is neither, or several installs qualify and nobody can be asked.</exception>
    public async Task<InstallTarget> FindAsync(ParseResult parsed, Session session, bool needsManifest, CancellationToken cancel)
    {
        var named = parsed.GetValue(what) ?? ".";
        string Words(params Option<string?>[] options) => string.Concat(
            options.Where(o => IsGiven(parsed, o)).Select(o => $" {o.Name} {Shell.Quoted(parsed.GetValue(o)!)}"));
        var (toStop, again) = (Words(manifest), Words(manifest, trust, release));
        if (IsFolder(parsed, named))
        {
            var file = ManifestFile(parsed, session, null);
            if (file is null && needsManifest)
                file = InstalledRelease.ManifestIn(named) ?? throw NoManifest(named);
            RefuseOther(file, Release(parsed));
            var here = Host.Machine.Here(UserEnvironment.Get);
            return Target(here, named, [], Shell.Quoted(named), toStop, again) with { ManifestFile = file };
        }

        var product = choice.Product(parsed, named);
        var ofProduct = ManifestFile(parsed, session, product);
        if (needsManifest)
            ofProduct ??= product.Loaded.ManifestOf(Release(parsed));
        RefuseOther(ofProduct, Release(parsed));
        var path = mayBeNew && choice.Named(parsed) is null && HasNone(product) && FolderInItsPlace(product) is { } folder ? folder
            : await choice.InstallAsync(parsed, product, session, cancel, ofProduct).ConfigureAwait(false);
        var others = new InstallFinder(product.Machine.Folders).Find(product.Profile, (LazyManifest?)null, []).Select(f => f.Path)
            .Where(p => p != Path.GetFullPath(path)).ToList();
        return Target(product.Machine, path, product.Profile.Processes, product.Arguments, toStop, again) with
        {
            ManifestFile = ofProduct,
            OtherInstalls = others,
            Components = product.Profile.Components,
            Mirrors = product.Profile.Manifest?.Mirrors ?? [],
        };
    }

    private static InstallTarget Target(
        Machine machine, string path, IReadOnlyList<string> processes, string named, string toStop, string again) =>
        new(machine, path, new RunningGuard(machine, processes, $"Stop it with: mukta stop {named}{toStop}")) { Arguments = named + again };

    /// <summary>An option that a command does not have is not given.</summary>
    private bool IsGiven(ParseResult parsed, Option<string?> option) =>
        (IsCompared || option == manifest) && parsed.GetValue(option) is not null;

    /// <summary>Refuses a manifest of another release than the one that is named.</summary>
    public static void RefuseOther(LazyManifest? file, string? release)
    {
        if (file is not null && release is not null && file.Value.Release != release)
        {
            throw new MuktaException(
                ExitCode.BadInput,
                $"The manifest is of release {PathBytes.Shown(file.Value.Release ?? "(unnamed)")}, not of {PathBytes.Shown(release)}.",
                file.Source ?? file.Path, "Name the manifest of that release with --manifest.");
        }
    }

    private static MuktaException NoManifest(string folder) => new(
        ExitCode.BadInput, "There is no manifest to compare this folder with.", folder,
        "Name the manifest with --manifest, or name a product that a profile describes.");
}
