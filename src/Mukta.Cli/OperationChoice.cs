using System.CommandLine;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.State;

namespace Mukta.Cli;

/// <summary>The options with which a command is told where to look for operations.</summary>
internal sealed class OperationChoice
{
    private readonly Option<string[]> inside = new("--in")
    {
        Description = "Also search this install.",
        HelpName = "DIR",
    };
    private readonly Option<string?> profiles = CommonOptions.Profiles();
    private readonly Option<string?> root = CommonOptions.Root();
    private ProfileCatalog? read;

    public void AddTo(Command command)
    {
        command.Options.Add(inside);
        command.Options.Add(profiles);
        command.Options.Add(root);
    }

    public Machine Machine(ParseResult parsed) => ProductChoice.MachineAt(parsed.GetValue(root));

    public OperationCatalog Catalog(ParseResult parsed, CancellationToken cancel = default) =>
        new(Machine(parsed).Home, TimeProvider.System,
        new SystemUndo(Cli.Product.ControlOf(Machine(parsed)), cancel) { Units = Units(parsed) });

    /// <summary>
    /// All operations that hold something, oldest first: those of the state database, of the user, and of the installs that profiles and
    /// records name.
    /// </summary>
    public IReadOnlyList<KeptOperation> All(ParseResult parsed)
    {
        var machine = Machine(parsed);
        var finder = new InstallFinder(machine.Folders);
        var installs = Profiles(parsed)
            .SelectMany(
            p => finder.Find(p.Profile, (LazyManifest?)null, InstallRecords.PathsOf(machine, p.Profile.Product)).Select(f => f.Path));
        return Catalog(parsed).All(
            installs.Concat((parsed.GetValue(inside) ?? []).Select(Path.GetFullPath)), OperationIndex.PlacesOf(machine));
    }

    /// <summary>The operation that is meant: by its id or the beginning of it, or the latest one of a product not yet undone.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="all">All operations.</param>
    /// <param name="word">An id, the beginning of one, or a product's id.</param>
    /// <exception cref="MuktaException">There is none, or several ids begin so.</exception>
    public string Id(ParseResult parsed, IReadOnlyList<KeptOperation> all, string word)
    {
        var ids = all.Select(o => o.Id).Distinct().ToList();
        if (ids.Contains(word))
            return word;
        if (all.LastOrDefault(o => o.Record.Header.Product == word && IsOpen(o)) is { } latest)
            return latest.Id;
        var begin = ids.Where(i => i.StartsWith(word, StringComparison.Ordinal)).ToList();
        return begin.Count == 1 ? begin[0] : throw new MuktaException(
            ExitCode.BadInput, begin.Count == 0 ? "There is no such operation." : $"{begin.Count} operations begin like this.",
            begin.Count == 0 ? PathBytes.Shown(word) : string.Join("\n", begin),
            $"List them with: mukta operations{Arguments(parsed)}");
    }

    /// <summary>A product; null if no profile describes it any more.</summary>
    public Product? Product(ParseResult parsed, string id)
    {
        _ = Profiles(parsed);
        if (!read!.Has(id))
            return null;
        IReadOnlyList<string> words = [.. new[] { profiles, root }.Where(o => parsed.GetValue(o) is not null)
            .SelectMany(o => new[] { o.Name, parsed.GetValue(o)! })];
        return new Product(read.Of(id), read, Machine(parsed), words) { WordsForOthers = words };
    }

    /// <summary>True for one that can be undone.</summary>
    public static bool IsOpen(KeptOperation operation) =>
        operation.State != OperationState.Undone && operation.Record.Header.Undoes is null;

    private IEnumerable<LoadedProfile> Profiles(ParseResult parsed) =>
        (read ??= Session.Profiles(parsed, profiles)).Profiles;

    /// <summary>The services that the profiles name.</summary>
    private HashSet<string> Units(ParseResult parsed) =>
        [.. Profiles(parsed).SelectMany(p => p.Profile.Services.Select(s => s.Unit).Concat(p.Profile.Conflicts.SelectMany(c => c.Units)))];

    /// <summary>What the user has to add to another command to look in the same places.</summary>
    public string Arguments(ParseResult parsed) => string.Concat(
        (parsed.GetValue(inside) ?? []).Select(i => $" --in {Shell.Quoted(i)}")
        .Concat(new[] { profiles, root }.Where(o => parsed.GetValue(o) is not null)
        .Select(o => $" {o.Name} {Shell.Quoted(parsed.GetValue(o)!)}")));
}
