using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Caches;
using Mukta.Host.Processes;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta caches</c></summary>
internal static class CachesCommand
{
    private const string Examples = """
          mukta caches pierhead
          mukta caches pierhead --clear pages
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var clear = new Option<string[]>("--clear")
        {
            Description = "Clear the cache of this name, or all that may be; \"temporary\" for temporary and partly downloaded files.",
            HelpName = "NAME",
            Arity = ArgumentArity.ZeroOrMore,
            AllowMultipleArgumentsPerToken = true,
        };
        var forGood = new Option<bool>("--for-good") { Description = "With --clear: delete instead of moving to the held area. There is no way back." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("caches", "Show a product's cache folders and temporary files; clear them.", Examples) { product, clear, forGood, dryRun, yes };
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (result.GetValue(forGood) && result.GetResult(clear) is null)
                result.AddError("--for-good goes with --clear.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallIfAnyAsync(parsed, found, null, session, cancel).ConfigureAwait(false);
            var run = new Run(session, found, install) { IsForGood = parsed.GetValue(forGood), IsDryRun = parsed.GetValue(dryRun), IsAgreed = parsed.GetValue(yes) };
            return (int)await run.ToEndAsync(parsed.GetResult(clear) is null ? null : parsed.GetValue(clear) ?? [], cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Product product, string? install)
    {
        public bool IsForGood { get; init; }

        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(string[]? names, CancellationToken cancel)
        {
            var caches = new CacheLook(product.Machine).At(product.Profile, install, cancel);
            if (names is null)
                return Shown(caches);
            var chosen = Chosen(caches, names);
            var clearer = new CacheClearer(product.Machine, TimeProvider.System, product.Remember);
            if (chosen.Count == 0)
            {
                if (!IsDryRun)
                    clearer.EndInterrupted(product.Profile.Product, IsForGood);
                return End(ExitCode.Done, [], null, "Nothing to clear.");
            }

            var text = new CacheText(session.Output);
            if (!session.IsJson && !session.IsQuiet)
            {
                text.Write(chosen);
                session.Output.WriteLine(IsForGood ? "All of this would be deleted, and nothing brings it back." : "All of this goes to the held area; the folders themselves stay.");
            }

            if (IsDryRun)
                return End(ExitCode.Problems, [.. chosen.Select(CachePart.Of)], null, "Nothing was changed: this was a dry run.");
            RefuseIfRunning(chosen);
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, IsForGood ? "Delete for good?" : "Clear?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, [.. chosen.Select(CachePart.Of)], null, "Nothing was changed.");

            var (operation, cleared) = clearer.Clear(product.Profile.Product, chosen, IsForGood, () => RefuseIfRunning(chosen), cancel);
            if (!session.IsJson)
                text.Cleared(cleared, IsForGood);
            return End(cleared.All(c => c.Failure is null) ? ExitCode.Done : ExitCode.Blocked, [.. cleared.Select(CachePart.Of)], IsForGood ? null : operation, IsForGood || cleared.All(c => c.HeldAt is null) ? null : $"To put it back: mukta undo {operation}{product.OptionsForUndo}");
        }

        private ExitCode Shown(IReadOnlyList<CacheFolder> caches)
        {
            if (!session.IsJson)
                new CacheText(session.Output).Write(caches);
            var isWrong = CacheFindings.Of(caches).Any(f => f.Verdict == Host.Checks.Verdict.Bad);
            var next = caches.Any(c => c.Blocked is null) ? $"Next: mukta caches {product.Arguments} --clear" : null;
            return End(isWrong ? ExitCode.Problems : ExitCode.Done, [.. caches.Select(CachePart.Of)], null, caches.Count == 0 ? "There is no cache folder of it, and nothing temporary." : next);
        }

        /// <summary>The caches that are meant: those of the names, or every one that may be cleared.</summary>
        /// <exception cref="MuktaException">A name is unknown, or one that is named may not be cleared.</exception>
        private List<CacheFolder> Chosen(IReadOnlyList<CacheFolder> caches, string[] names)
        {
            if (names.Length == 0)
                return [.. caches.Where(c => c.Blocked is null && !c.IsTemporary)];
            IReadOnlyList<string> known = [.. product.Profile.Caches.Select(c => c.Name), CacheFolder.Temporary];
            if (names.FirstOrDefault(n => !known.Contains(n)) is { } unknown)
                throw new MuktaException(ExitCode.BadInput, $"The profile knows no cache \"{PathBytes.Shown(unknown)}\".", product.Loaded.File, $"Name one of: {string.Join(", ", known)}.");
            var chosen = caches.Where(c => names.Contains(c.Name)).ToList();
            return chosen.Find(c => c.Blocked is not null) is { } blocked
                ? throw new MuktaException(ExitCode.Blocked, $"The cache \"{blocked.Name}\" stays: it {blocked.Blocked}.", PathBytes.Shown(blocked.Path), "Leave it out, or change the profile.")
                : chosen;
        }

        /// <summary>Nothing is touched while the product runs, or while anybody has a file of these caches open.</summary>
        private void RefuseIfRunning(IReadOnlyList<CacheFolder> caches)
        {
            IEnumerable<string> folders = [.. install is null ? [] : new[] { install }, .. caches.Select(c => c.Path)];
            var real = folders.Select(RealPath).ToList();
            if (new ProcessTable().Using(real, product.Profile.Processes).Running is { Count: > 0 } running)
                throw new ProductRuns(running, $"End it with: mukta stop {product.Arguments}");
        }

        private static string RealPath(string path)
        {
            using var folder = Folder.Open(Directory.Exists(path) ? path : Path.GetDirectoryName(path)!);
            return Directory.Exists(path) ? folder.RealPath : Path.Join(folder.RealPath, Path.GetFileName(path));
        }

        private ExitCode End(ExitCode code, IReadOnlyList<CachePart> caches, string? operation, string? line)
        {
            if (session.IsJson)
                Session.Write(new CachesDocument("mukta.caches/1", product.Profile.Product, IsDryRun, (int)code, caches) { Operation = operation }, Documents.Readable.CachesDocument);
            else if (line is not null)
                session.Output.WriteLine(line);
            return code;
        }
    }
}
