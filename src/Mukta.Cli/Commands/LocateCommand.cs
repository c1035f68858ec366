using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Remedies;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta locate</c></summary>
internal static class LocateCommand
{
    private const string Examples = """
          mukta locate gannet-post --search /mnt --record
          mukta locate --hold-stale --dry-run
        """;

    public static Command Build()
    {
        var product = new Argument<string?>("PRODUCT")
        {
            Description = "A product's id; all that have a profile where nothing is said.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var search = new Option<string[]>("--search")
        {
            Description =
            "Look through everything below this folder too, by the names and sizes that the manifest lists. May be given several times.",
            HelpName = "DIR",
        };
        var manifests = new Option<string[]>("--manifest")
        {
            Description = "The manifest of another release to compare with. May be given several times.",
            HelpName = "FILE",
        };
        var record = new Option<bool>("--record") { Description = "Remember what was found, and forget what is no longer there." };
        var holdStale = new Option<bool>("--hold-stale")
        {
            Description = "Move the folders of older releases that stand beside the current one to the kept files.",
        };
        var acting = new ActingOptions();
        var (profiles, root) = (CommonOptions.Profiles(), CommonOptions.Root());
        var command = new ExampleCommand(
            "locate",
            "Find installs in the places that the profiles name, or anywhere below a folder. Touches none of them unless told to set "
            + "older releases aside.", Examples)
        {
            product,
            search,
            manifests,
            record,
            holdStale,
            profiles,
            root,
        };
        acting.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var catalog = Session.Profiles(parsed, profiles);
            IReadOnlyList<LoadedProfile> asked = parsed.GetValue(product) is { } id ? [catalog.Of(id)] : [.. catalog.Profiles];
            if (asked.Count == 0)
            {
                throw new MuktaException(
                    ExitCode.BadInput, "There is no profile.", string.Join("\n", catalog.Folders),
                    "Name a folder that holds profiles with --profiles.");
            }

            var machine = parsed.GetValue(root) is { } mounted ? Machine.MountedAt(mounted, UserEnvironment.Get)
                : Machine.Here(UserEnvironment.Get);
            var run = new Run(session, machine, [.. (parsed.GetValue(manifests) ?? []).Select(MetalinkReader.ReadFile)]);
            var located = run.Locate(asked);
            if (parsed.GetValue(search) is { Length: > 0 } places)
                located = await run.SearchAsync(located, places, cancel).ConfigureAwait(false);
            var forgotten = parsed.GetValue(record) ? run.Record(located) : null;
            var next = forgotten is null && located.Any(l => l.Installs.Any(i => i.IsSearched))
                ? string.Join(' ', parsed.Tokens.Select(t => Shell.Quoted(t.Value)).Prepend("mukta").Append("--record")) : null;
            if (!parsed.GetValue(holdStale))
                return (int)run.Show(located, forgotten, next, parsed.GetValue(profiles));
            var tools = Product.ToolsOf(machine, session, parsed);
            var remedy = new SweepRemedy(machine, catalog, [.. located.Select(l => (l.Loaded.Profile, l.Installs))], tools);
            return await acting.RunAsync(
                session, parsed, remedy, new SweepView(session), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Machine machine, IReadOnlyList<Manifest> others)
    {
        public List<Located> Locate(IReadOnlyList<LoadedProfile> asked)
        {
            var finder = new InstallFinder(machine.Folders);
            return [.. asked.Select(loaded =>
            {
                var (manifest, fault) = loaded.TryReadManifest();
                IReadOnlyList<Manifest> manifests =
                    [.. others.Where(o => o.Product == loaded.Profile.Product).Prepend(manifest).OfType<Manifest>()];
                return new Located(
                    loaded, manifests,
                    finder.Find(loaded.Profile, manifests, InstallRecords.PathsOf(machine, loaded.Profile.Product)), fault);
            })];
        }

        public async Task<List<Located>> SearchAsync(List<Located> located, string[] places, CancellationToken cancel)
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

        /// <summary>Remembers the current installs, and answers those that it has forgotten.</summary>
        public List<string> Record(List<Located> located)
        {
            using var database = StateDatabase.Open(machine.Folders.State);
            var records = new InstallRecords(database);
            var forgotten = new List<string>();
            for (var i = 0; i < located.Count; i++)
            {
                var (product, current) = (located[i].Loaded.Profile.Product, located[i].Installs.Where(f => f.IsCurrent).ToList());
                foreach (var gone in records.All().Where(r => r.Product == product)
                    .ExceptBy(current.Select(c => machine.NameOf(c.Path)), r => r.Path))
                {
                    records.Forget(product, gone.Path);
                    forgotten.Add(gone.Path);
                }

                foreach (var install in current)
                    records.Put(new InstallRecord(product, machine.NameOf(install.Path), install.Release, TimeProvider.System.GetUtcNow()));
                located[i] = located[i] with { Installs = [.. located[i].Installs.Select(f => f with { IsRecorded = f.IsCurrent })] };
            }

            return forgotten;
        }

        public ExitCode Show(List<Located> located, IReadOnlyList<string>? forgotten, string? next, string? profiles)
        {
            var catalog = new OperationCatalog(machine.Home, TimeProvider.System);
            located =
                [.. located.Select(l => l with { Pending = catalog.Pending(l.Loaded.Profile.Product, l.Installs.Select(i => i.Path)) })];
            if (session.IsJson)
                Session.Write(LocateDocument.Of(located, forgotten), Documents.Readable.LocateDocument);
            else
                new LocateText(session.Output, profiles).Write(located, forgotten, next);
            return located.All(l => l.Installs.Count == 0) ? ExitCode.Problems : ExitCode.Done;
        }
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
}
