using System.CommandLine;
using Mukta.Cli.Help;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>The options with which a command is told a product, where it is looked for, and which of its installs is meant.</summary>
internal sealed class ProductChoice
{
    /// <summary>The name of the option for an install.</summary>
    public const string InstallName = "--install";

    private readonly Option<string?> install = new(InstallName)
    {
        Description = "Use this install, if the product has several.",
        HelpName = "PATH",
    };
    private readonly Option<string?> profiles = CommonOptions.Profiles();
    private readonly Option<string?> root = CommonOptions.Root();
    private ProfileCatalog? catalog;

    /// <summary>False for a command that is told its folder otherwise.</summary>
    public bool IsForOneInstall { get; init; } = true;

    /// <summary>True for a command that can make the install: its folder need not be there.</summary>
    public bool MayBeNew { get; init; }

    /// <summary>For a command whose argument can only be a product.</summary>
    public static Argument<string> Argument() =>
        new Argument<string>("PRODUCT") { Description = "A product id; mukta profile show lists them." }.WithProducts();

    /// <summary>For a command that shows all products if none is named.</summary>
    public static Argument<string?> OptionalArgument() => new Argument<string?>("PRODUCT")
    {
        Description = "A product id; mukta profile show lists them. Default: all.",
        Arity = ArgumentArity.ZeroOrOne,
    }.WithProducts();

    public void AddTo(Command command)
    {
        if (IsForOneInstall)
            command.Options.Add(install);
        command.Options.Add(profiles);
        command.Options.Add(root);
    }

    /// <summary>The machine that the user means.</summary>
    public Machine Machine(ParseResult parsed) => MachineAt(parsed.GetValue(root));

    /// <summary>The machine whose disk is mounted at a folder; this one for null.</summary>
    public static Machine MachineAt(string? root) =>
        root is null ? Host.Machine.Here(UserEnvironment.Get) : Host.Machine.MountedAt(root, UserEnvironment.Get);

    /// <summary>The product of an id.</summary>
    /// <exception cref="MuktaException">No profile describes it.</exception>
    public Product Product(ParseResult parsed, string id)
    {
        catalog ??= Session.Profiles(parsed, profiles);
        if (catalog.Profiles.All(p => p.Profile.Product != id)
            && Nearest.Hint(id, parsed.CommandResult.Command.Subcommands.Select(c => c.Name)) is { Length: > 0 } hint)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"Unknown product or command \"{Disk.PathBytes.Shown(id)}\"{hint}", Shell.Typed(parsed),
                $"Show the help: {CommandTexts.Path(parsed.CommandResult.Command)} --help");
        }

        return new Product(catalog.Of(id), catalog, Machine(parsed), Words(parsed, install, profiles, root))
        {
            WordsForOthers = Words(parsed, profiles, root),
        };
    }

    /// <summary>A product where one of its installs is meant. The next command to type names it if there are several.</summary>
    /// <param name="product">The product.</param>
    /// <param name="place">The install.</param>
    public static Product WithInstall(Product product, string place) => Current(product) is [var only] && only == place ? product
        : product with { OptionWords = [InstallName, place, .. product.WordsForOthers] };

    /// <summary>What the user added, for the next command to type, without the choice of an install.</summary>
    public string Options(ParseResult parsed) => string.Concat(Words(parsed, profiles, root).Select(w => $" {Shell.Quoted(w)}"));

    private static string[] Words(ParseResult parsed, params IEnumerable<Option<string?>> options) =>
        [.. options.Where(o => parsed.GetValue(o) is not null).SelectMany(o => new[] { o.Name, parsed.GetValue(o)! })];

    /// <summary>True if a profile describes this product.</summary>
    public bool Knows(ParseResult parsed, string id) => (catalog ??= Session.Profiles(parsed, profiles)).Has(id);

    /// <summary>The product of an id, or all that have a profile.</summary>
    /// <exception cref="MuktaException">No profile describes it, or there is no profile.</exception>
    public IReadOnlyList<Product> Products(ParseResult parsed, string? id)
    {
        if (id is not null)
            return [Product(parsed, id)];
        catalog ??= Session.Profiles(parsed, profiles);
        return catalog.Profiles.Any() ? [.. catalog.Profiles.Select(p => Product(parsed, p.Profile.Product))]
            : throw new MuktaException(
                ExitCode.BadInput, "There are no profiles.", string.Join("\n", catalog.Folders),
                "Name a folder of profiles with --profiles or MUKTA_PROFILES.");
    }

    /// <summary>The install that is named, or the first current one; null for none.</summary>
    public string? FirstInstall(ParseResult parsed, Product product) =>
        Named(parsed) ?? FirstInstall(product);

    /// <summary>The first current install; null for none.</summary>
    public static string? FirstInstall(Product product) => Current(product) is [var first, ..] ? first : null;

    private static IReadOnlyList<string> Current(Product product, LazyManifest? manifest = null) =>
        [.. new InstallFinder(product.Machine.Folders)
            .Find(
                product.Profile, manifest ?? product.Loaded.TryManifestFile,
                InstallRecords.PathsOf(product.Machine, product.Profile.Product))
            .Where(f => f.IsCurrent).Select(f => f.Path)];

    /// <summary>The folder that is named and is not there yet; null for none.</summary>
    public string? NewPlace(ParseResult parsed) =>
        parsed.GetValue(install) is { } named && !Directory.Exists(named) ? Path.GetFullPath(named) : null;

    /// <summary>The install that is named; null for none.</summary>
    /// <exception cref="MuktaException">There is no such folder.</exception>
    public string? Named(ParseResult parsed)
    {
        if (parsed.GetValue(install) is not { } named)
            return null;
        return Directory.Exists(named) ? Path.GetFullPath(named) : MayBeNew ? null
            : throw new MuktaException(ExitCode.BadInput, "There is no such folder.", named, "Check the path after --install.");
    }

    /// <summary>The install that is named, or the only one; null if there is none.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="product">The product.</param>
    /// <param name="session">For a question.</param>
    /// <param name="cancel">Ends a question.</param>
    /// <param name="manifest">By which an install is recognised that has lost its marker; null for the profile's own.</param>
    /// <exception cref="MuktaException">There are several, and nobody can be asked.</exception>
    public async Task<string?> InstallIfAnyAsync(
        ParseResult parsed, Product product, Session session, CancellationToken cancel, LazyManifest? manifest = null)
    {
        if (Named(parsed) is { } named)
            return named;
        if (MayBeNew && NewPlace(parsed) is not null)
            return null;
        var found = Current(product, manifest);
        if (found.Count < 2)
            return found.Count == 0 ? null : found[0];
        if (Console.IsInputRedirected || Console.IsErrorRedirected || session.IsJson)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"There are {found.Count} installs of {product.Profile.Title}.",
                string.Join("\n", found), "Choose one with --install.");
        }

        return await new SelectionPrompt<string> { Title = $"Which install of {Markup.Escape(product.Profile.Title)}?" }
            .AddChoices(found.Select(Markup.Escape)).ShowAsync(session.Error, cancel).ConfigureAwait(false);
    }

    /// <summary>The install that is named, or the only one.</summary>
    /// <exception cref="MuktaException">There is none, or there are several and nobody can be asked.</exception>
    public async Task<string> InstallAsync(
        ParseResult parsed, Product product, Session session, CancellationToken cancel, LazyManifest? manifest = null) =>
        await InstallIfAnyAsync(parsed, product, session, cancel, manifest).ConfigureAwait(false) ?? throw NoInstall(product);

    /// <summary>Says that there is no install, and how to get one.</summary>
    public static MuktaException NoInstall(Product product) => new(
            ExitCode.BadInput, $"No install of {product.Profile.Title} was found.",
            string.Join("\n", product.Profile.Installs.Places.Select(p => p.Text)),
            $"Name its folder with --install, search for it with: mukta installs {product.Profile.Product} --search DIR, or install it "
            + $"with: mukta repair {product.Profile.Product}{product.OptionsForOthers}");
}
