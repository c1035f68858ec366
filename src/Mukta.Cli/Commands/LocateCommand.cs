using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Reinstall;
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
        var product = new Argument<string?>("PRODUCT") { Description = "A product's id; all that have a profile where nothing is said.", Arity = ArgumentArity.ZeroOrOne };
        var search = new Option<string[]>("--search") { Description = "Look through everything below this folder too, by the names and sizes that the manifest lists. May be given several times.", HelpName = "DIR" };
        var manifests = new Option<string[]>("--manifest") { Description = "The manifest of another release to compare with. May be given several times.", HelpName = "FILE" };
        var record = new Option<bool>("--record") { Description = "Remember what was found, and forget what is no longer there." };
        var holdStale = new Option<bool>("--hold-stale") { Description = "Move the folders of older releases that stand beside the current one into the held area." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var (profiles, root) = (CommonOptions.Profiles(), CommonOptions.Root());
        var command = new ExampleCommand("locate", "Find installs in the places that the profiles name, or anywhere below a folder. Touches none of them unless told to hold stale ones.", Examples) { product, search, manifests, record, holdStale, dryRun, yes, profiles, root };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var catalog = ProfileCatalog.Read(parsed.GetValue(profiles), UserEnvironment.Get);
            IReadOnlyList<LoadedProfile> asked = parsed.GetValue(product) is { } id ? [catalog.Of(id)] : [.. catalog.Profiles];
            if (asked.Count == 0)
                throw new MuktaException(ExitCode.BadInput, "There is no profile.", string.Join("\n", catalog.Folders), "Name a folder that holds profiles with --profiles.");
            var machine = parsed.GetValue(root) is { } mounted ? Machine.MountedAt(mounted, UserEnvironment.Get) : Machine.Here(UserEnvironment.Get);
            var run = new Run(session, machine, [.. (parsed.GetValue(manifests) ?? []).Select(MetalinkReader.ReadFile)]);
            var located = run.Locate(asked);
            if (parsed.GetValue(search) is { Length: > 0 } places)
                located = await run.SearchAsync(located, places, cancel).ConfigureAwait(false);
            var forgotten = parsed.GetValue(record) ? run.Record(located) : null;
            var next = forgotten is null && located.Any(l => l.Installs.Any(i => i.IsSearched)) ? string.Join(' ', parsed.Tokens.Select(t => Shell.Quoted(t.Value)).Prepend("mukta").Append("--record")) : null;
            return parsed.GetValue(holdStale)
                ? (int)await run.HoldStaleAsync(located, catalog, parsed.GetValue(dryRun), parsed.GetValue(yes), cancel).ConfigureAwait(false)
                : (int)run.Show(located, forgotten, next, parsed.GetValue(profiles));
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
                IReadOnlyList<Manifest> manifests = [.. others.Where(o => o.Product == loaded.Profile.Product).Prepend(manifest).OfType<Manifest>()];
                return new Located(loaded, manifests, finder.Find(loaded.Profile, manifests, InstallRecords.PathsOf(machine, loaded.Profile.Product)), fault);
            })];
        }

        public async Task<List<Located>> SearchAsync(List<Located> located, string[] places, CancellationToken cancel)
        {
            if (located.All(l => l.Manifests.Count == 0))
                throw new MuktaException(ExitCode.BadInput, "There is no manifest to search by.", string.Join("\n", located.Select(l => $"{l.Loaded.Profile.Product}: {l.Fault}")), "Name one with --manifest.");
            var meter = new WorkMeter();
            meter.Begin("searching", 0);
            var search = new InstallSearch([.. located.SelectMany(l => l.Manifests.Select(m => (l.Loaded.Profile, m)))]);
            var found = await Progressing.ShowAsync(session, meter, () => Task.FromResult(places.SelectMany(p => search.Below(machine.IsLive ? p : machine.At(p), meter, cancel)).ToList())).ConfigureAwait(false);
            return [.. located.Select(l => l with
            {
                Installs = [.. l.Installs, .. found.Where(f => f.Profile == l.Loaded.Profile).Select(f => f.Install).ExceptBy(l.Installs.Select(i => i.Path), f => f.Path).DistinctBy(f => f.Path)],
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
                foreach (var gone in records.All().Where(r => r.Product == product).ExceptBy(current.Select(c => machine.NameOf(c.Path)), r => r.Path))
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

        /// <summary>Moves older releases' folders into the held area.</summary>
        public async Task<ExitCode> HoldStaleAsync(List<Located> located, ProfileCatalog catalog, bool isDryRun, bool isAgreed, CancellationToken cancel)
        {
            var releases = new StaleReleases(machine, catalog, TimeProvider.System);
            var stale = located.SelectMany(l => releases.Of(l.Loaded.Profile, l.Installs, cancel)).ToList();
            var (open, text) = (stale.Where(s => s.Blocked is null).ToList(), session.Output);
            if (!session.IsJson && !session.IsQuiet)
            {
                foreach (var one in stale)
                    text.WriteLine($"{one.Profile.Product}  {PathBytes.Shown(one.Path)}\n  {Units.Bytes(one.Size.Bytes)} in {Units.Count(one.Size.Files, "file")}{(one.Blocked is { } why ? $"; stays: it {why}" : "; goes to the held area")}");
            }

            if (open.Count == 0 && !isDryRun)
                releases.EndInterrupted(located.Count == 1 ? located[0].Loaded.Profile.Product : null);
            if (open.Count == 0 || isDryRun)
                return End(open.Count == 0 ? ExitCode.Done : ExitCode.Problems, null, open.Count == 0 ? "No older release stands beside a current one." : "Nothing was changed: this was a dry run.");
            RefuseIfRunning(open);
            if (!isAgreed && !await Question.IsAnsweredYesAsync(session, "Hold them?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, null, "Nothing was changed.");
            RefuseIfRunning(open);
            var operation = releases.Hold(open, (header, place) => OperationIndex.TryPut(machine, header, place));
            return End(ExitCode.Done, operation, $"{Units.Bytes(open.Sum(s => s.Size.Bytes))} held, operation {operation}. To put it back: mukta undo {operation}");

            ExitCode End(ExitCode code, string? operation, string line)
            {
                if (session.IsJson)
                    Session.Write(new StaleDocument("mukta.locate-stale/1", isDryRun, (int)code, operation, [.. stale.Select(s => new StalePart(s.Profile.Product, PathBytes.Shown(s.Path), s.Size.Bytes, s.Size.Files, s.Blocked))]), Documents.Readable.StaleDocument);
                else
                    text.WriteLine(line);
                return code;
            }
        }

        private static void RefuseIfRunning(List<StaleRelease> stale)
        {
            if (new ProcessTable().Using([.. stale.Select(s => s.Path)], []).Running is { Count: > 0 } running)
                throw new ProductRuns(running, $"End it with: mukta stop {Shell.Quoted(stale[0].Path)}");
        }

        public ExitCode Show(List<Located> located, IReadOnlyList<string>? forgotten, string? next, string? profiles)
        {
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
internal sealed record Located(LoadedProfile Loaded, IReadOnlyList<Manifest> Manifests, IReadOnlyList<FoundInstall> Installs, string? Fault);
