using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Repair;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta installs</c>; its words are files of their own</summary>
internal static class InstallsCommand
{
    private const string Examples = """
          mukta installs
          mukta installs gannet-post --search /mnt
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.OptionalArgument(), new ProductChoice { IsForOneInstall = false });
        var search = new Option<string[]>("--search")
        {
            Description = "Also search everything below this folder, by the manifest's names and sizes.",
            HelpName = "DIR",
        };
        var manifests = new Option<string[]>("--manifest")
        {
            Description = "Also compare with this manifest of another release.",
            HelpName = "FILE",
        };
        var command = new ExampleCommand("installs", "Show installs; add, forget or sweep them.", Examples)
        {
            product,
            search,
            manifests,
            InstallsAddCommand.Build(),
            InstallsForgetCommand.Build(),
            InstallsSweepCommand.Build(),
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var products = choice.Products(parsed, parsed.GetValue(product));
            IReadOnlyList<Manifest> others = [.. (parsed.GetValue(manifests) ?? []).Select(ManifestReader.ReadFile)];
            var located = Locate(products, others);
            if (parsed.GetValue(search) is { Length: > 0 } places)
                located = await SearchAsync(session, products[0].Machine, located, places, cancel).ConfigureAwait(false);
            return (int)Show(session, products[0], located);
        });
        return command;
    }

    /// <summary>Finds the installs of products where their profiles and the records say.</summary>
    /// <param name="products">The products, on one machine.</param>
    /// <param name="others">Manifests of other releases to compare with.</param>
    public static List<Located> Locate(IReadOnlyList<Product> products, IReadOnlyList<Manifest> others)
    {
        var machine = products[0].Machine;
        var finder = new InstallFinder(machine.Folders);
        return [.. products.Select(p =>
        {
            var (manifest, fault) = p.Loaded.TryReadManifest();
            IReadOnlyList<Manifest> manifests =
                [.. others.Where(o => o.Product == p.Profile.Product).Prepend(manifest).OfType<Manifest>()];
            return new Located(
                p.Loaded, manifests, finder.Find(p.Profile, manifests, InstallRecords.PathsOf(machine, p.Profile.Product)), fault);
        })];
    }

    private static async Task<List<Located>> SearchAsync(
        Session session, Machine machine, List<Located> located, string[] places, CancellationToken cancel)
    {
        if (located.All(l => l.Manifests.Count == 0))
        {
            throw new MuktaException(
                ExitCode.BadInput, "There is no manifest to search by.",
                string.Join("\n", located.Select(l => $"{l.Loaded.Profile.Product}: {l.Fault}")), "Name one with --manifest.");
        }

        var meter = new WorkMeter();
        meter.Begin("searching", 0);
        var search = new InstallSearch([.. located.SelectMany(l => l.Manifests.Select(m => (l.Loaded.Profile, m)))]);
        var found = await Progressing.ShowAsync(
            session, meter,
            () => Task.FromResult(
            places.SelectMany(p => search.Below(machine.IsLive ? p : machine.At(p), meter, cancel)).ToList())).ConfigureAwait(false);
        return [.. located.Select(l => l with
        {
            Installs =
                [.. l.Installs, .. found.Where(f => f.Profile == l.Loaded.Profile).Select(f => f.Install)
                .ExceptBy(l.Installs.Select(i => Folder.RealPathOf(i.Path)), f => f.Path).DistinctBy(f => f.Path)],
        })];
    }

    private static ExitCode Show(Session session, Product first, List<Located> located)
    {
        var catalog = new OperationCatalog(first.Machine.Home, TimeProvider.System);
        located =
        [
            .. located.Select(l => l with
            {
                Pending = catalog.Pending(l.Loaded.Profile.Product, l.Installs.Select(i => i.Path)),
                Behind = l.Installs.Select(i => (i.Path, Gap: InstalledRelease.Gap(i.Path, l.Manifests))).Where(g => g.Gap is not null)
                    .ToDictionary(g => g.Path, g => g.Gap!.Value, StringComparer.Ordinal),
            }),
        ];
        if (session.IsJson)
            Session.Write(InstallsDocument.Of(located), Documents.Readable.InstallsDocument);
        else
            new InstallsText(session, first.OptionsForOthers).Write(located);
        return located.All(l => l.Installs.Count == 0) ? ExitCode.Problems : ExitCode.Done;
    }
}

/// <summary>A product with the installs that were found.</summary>
/// <param name="Loaded">The product.</param>
/// <param name="Manifests">The profile's own manifest first, then those of other releases.</param>
/// <param name="Installs">The installs.</param>
/// <param name="Fault">Why the profile's own manifest cannot be used, as the end of a sentence.</param>
internal sealed record Located(
    LoadedProfile Loaded, IReadOnlyList<Manifest> Manifests, IReadOnlyList<FoundInstall> Installs, string? Fault)
{
    /// <summary>Operations on it that were begun and have not ended.</summary>
    public IReadOnlyList<PendingOperation> Pending { get; init; } = [];

    /// <summary>Of the installs that are of an older release than the newest that is known, which one, and that one.</summary>
    public IReadOnlyDictionary<string, (ReleaseFacts There, ReleaseFacts Newest)> Behind { get; init; } =
        new Dictionary<string, (ReleaseFacts, ReleaseFacts)>();
}
