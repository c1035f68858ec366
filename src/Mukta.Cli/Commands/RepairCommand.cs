using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Repair;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;
using Serilog;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta repair</c></summary>
internal static class RepairCommand
{
    private const string Examples = """
          mukta repair games/gannet-post --manifest gannet-post.meta4 --dry-run
          mukta repair games/gannet-post --manifest gannet-post.meta4 --from https://mirror.example/gannet-post --from /media/stick/gannet-post
        """;

    public static Command Build()
    {
        var target = new TargetOptions(mayBeNew: true);
        var source = new SourceOptions();
        var holdStrays = new Option<bool>("--hold-strays") { Description = "Also move files that the manifest does not list into the held area." };
        var refetch = new Option<string[]>("--refetch") { Description = "Hold the files of this component whatever their state, and bring them back fresh. May be given several times.", HelpName = "COMPONENT" };
        var refetchFiles = new Option<string[]>("--refetch-files") { Description = "The same for the files whose paths fit this pattern, such as 'bin/*'.", HelpName = "GLOB" };
        var previous = new Option<string?>("--previous") { Description = "The manifest of the release that is there now, where a newer one is wanted: files that only it lists are held.", HelpName = "FILE" };
        var stop = new Option<bool>("--stop") { Description = "End the product's processes first, by request." };
        var all = new Option<bool>("--all") { Description = "List every step, however many there are." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "repair", "Bring missing, damaged, miscased, wrong-kind and wrong-mode files back. Fetches only what is bad; what is replaced is kept. A product that is not there is installed.", Examples)
        {
            previous, refetch, refetchFiles, holdStrays, stop, all, dryRun, yes,
        };
        source.AddTo(command);
        target.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            if (target.Absent(parsed, "repair") is { } absent)
            {
                using var first = new ReinstallRun(session, absent, parsed, source)
                {
                    Command = "repair",
                    Wish = new ReinstallWish(false, false) { SweepsLeftovers = false },
                    ManifestFile = target.ManifestFile(parsed),
                    NamedInstall = target.NamedInstall(parsed),
                    StopsFirst = parsed.GetValue(stop),
                    IsDryRun = parsed.GetValue(dryRun),
                    IsAgreed = parsed.GetValue(yes),
                };
                return (int)await first.ToEndAsync([], target.NewPlace(parsed), null, cancel).ConfigureAwait(false);
            }

            var found = await target.FindAsync(parsed, session, needsManifest: true, cancel).ConfigureAwait(false);
            var run = new Run(session, found)
            {
                HoldStrays = parsed.GetValue(holdStrays),
                Components = parsed.GetValue(refetch) ?? [],
                Globs = parsed.GetValue(refetchFiles) ?? [],
                StopsFirst = parsed.GetValue(stop),
                Limits = source.Limits(parsed),
                Also = source.Also(parsed),
                SourcesOf = (manifest, log) => source.Sources(parsed, found.Mirrors, manifest, log),
                Previous = parsed.GetValue(previous),
                ShowAll = parsed.GetValue(all),
                IsDryRun = parsed.GetValue(dryRun),
                IsAgreed = parsed.GetValue(yes),
            };
            return (int)await run.ToEndAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Target target)
    {
        private readonly string path = target.Path;

        public bool HoldStrays { get; init; }

        public string[] Components { get; init; } = [];

        public string[] Globs { get; init; } = [];

        public bool StopsFirst { get; init; }

        public IReadOnlyList<string> Also { get; init; } = [];

        public required Func<Manifest, ILogger, SourceList> SourcesOf { get; init; }

        public FetchLimits Limits { get; init; } = new();

        public string? Previous { get; init; }

        public bool ShowAll { get; init; }

        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(CancellationToken cancel)
        {
            var verifier = new QuickVerifier(TimeProvider.System, new VerifiedRecords(target.Machine));
            var identity = QuickVerifier.IdentityOf(target.ManifestPath);
            var manifest = MetalinkReader.ReadFile(target.ManifestPath);
            var log = session.Log(toFile: !IsDryRun);
            using var sources = SourcesOf(manifest, log);
            using var install = Folder.Open(path);
            var looking = new WorkMeter();
            var options = new VerifyOptions { Meter = looking, RememberProven = true };
            var before = await Progressing.ShowAsync(
                session, looking, () => Task.FromResult(new Verifier(TimeProvider.System).Verify(manifest, install, options, cancel))).ConfigureAwait(false);
            var older = Previous is { } previous ? MetalinkReader.ReadFile(previous) : InstalledRelease.Before(install, manifest);
            var plan = RepairPlan.For(before, new RepairWish { HoldStrays = HoldStrays, Refetch = Refetched(manifest), Older = older, Disk = FileSystemCapabilities.Of(path) });
            using var local = await Progressing.ShowAsync(
                session, looking, () => Task.FromResult(LocalPieces.For(plan, before, install, new LocalPlaces(Also, target.OtherInstalls), looking, cancel))).ConfigureAwait(false);
            plan = plan.With(local);
            log.Information("repair of {Install}: {Findings} findings, {Steps} steps, {Bytes} bytes to fetch", path, before.Findings.Count, plan.Steps.Count, plan.BytesToFetch);

            if (plan.IsEmpty)
                return NothingToDo(plan, before);
            var text = new RepairText(session.Output, path) { ShowAll = ShowAll };
            if (!session.IsJson && !(session.IsQuiet && IsAgreed))
                text.Plan(plan, before, sources.Sources);
            if (IsDryRun)
                return DryRunEnd(plan, before);
            if (!StopsFirst)
                target.RefuseIfRunning(install);
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, "Go on?", cancel).ConfigureAwait(false))
                return Declined();

            if (StopsFirst)
                await StopAsync(install, cancel).ConfigureAwait(false);
            var repairing = new WorkMeter();
            var outcome = await Progressing.ShowAsync(
                session, repairing, () => new Repairer(TimeProvider.System, log, () => target.RefuseIfRunning(install), (header, place) => OperationIndex.TryPut(target.Machine, header, place)) { Limits = Limits, Home = target.Machine.Home }.RepairAsync(plan, before, install, sources.Sources, local, repairing, cancel)).ConfigureAwait(false);
            verifier.Remember(outcome.After, target.ManifestPath, identity, install);
            log.Information("operation {Operation}: {Done} steps done, {Failed} failed, exit code {Code}", outcome.Operation, outcome.StepsDone, outcome.Failures.Count, outcome.Code);
            var next = outcome.After.IsIntact ? null : NextStep.After(outcome.After, target, straysCount: false);
            if (session.IsJson)
                Write(plan, before, outcome);
            else if (session.IsQuiet)
                new VerifyText(session.Output, path).Verdict(outcome.After);
            else
                text.Outcome(outcome, next);
            return outcome.Code;
        }

        /// <summary>Which files are to be fetched whatever their state; null for none.</summary>
        /// <exception cref="MuktaException">A component is unknown, or a pattern fits nothing.</exception>
        private Func<ManifestFile, bool>? Refetched(Manifest manifest)
        {
            if (Components.Length + Globs.Length == 0)
                return null;
            bool IsOf(ManifestFile file, string component) => file.Component == component || (target.Components.TryGetValue(component, out var globs) && globs.Any(g => PathGlob.Fits(g, file.Path)));
            var known = manifest.Files.Select(f => f.Component).OfType<string>().Concat(target.Components.Keys).Distinct().Order(StringComparer.Ordinal).ToList();
            if (Components.FirstOrDefault(c => !manifest.Files.Any(f => IsOf(f, c))) is { } unknown)
                throw new MuktaException(ExitCode.BadInput, $"No file belongs to a component \"{PathBytes.Shown(unknown)}\".", target.ManifestPath, known.Count > 0 ? $"Name one of: {string.Join(", ", known)}." : "Neither manifest nor profile has components; name files with --refetch-files.");
            return Globs.FirstOrDefault(g => !manifest.Files.Any(f => PathGlob.Fits(g, f.Path))) is { } idle
                ? throw new MuktaException(ExitCode.BadInput, $"No file fits the pattern \"{PathBytes.Shown(idle)}\".", target.ManifestPath, "A * stands for characters within one folder's names: maps/*, maps/*/*.")
                : file => Components.Any(c => IsOf(file, c)) || Globs.Any(g => PathGlob.Fits(g, file.Path));
        }

        /// <summary>Ends the product's processes by request.</summary>
        private async Task StopAsync(Folder install, CancellationToken cancel)
        {
            if (target.Running(install).Running is not { Count: > 0 } running)
                return;
            var ended = await new ProcessEnder(new ProcessTable(), TimeProvider.System).EndAsync(running, TimeSpan.FromSeconds(10), force: false, null, cancel).ConfigureAwait(false);
            foreach (var one in ended.Where(e => e.IsGone && !session.IsQuiet))
                session.Error.MarkupLineInterpolated($"[grey]ended process {one.Process.Pid}, {PathBytes.Shown(one.Process.Name)}[/]");
            target.RefuseIfRunning(install);
        }

        private ExitCode NothingToDo(RepairPlan plan, VerifyResult before)
        {
            if (!IsDryRun)
            {
                using var install = Folder.Open(path);
                new Repairer(TimeProvider.System, session.Log()).EndWhatWasInterrupted(before, install);
            }

            if (session.IsJson)
                Write(plan, before, new RepairOutcome { Plan = plan, After = before });
            else
                new VerifyText(session.Output, path).Write(before, NextStep.After(before, target, straysCount: false));
            if (!session.IsJson && !session.IsQuiet && before.IsIntact)
                session.Output.WriteLine("Nothing to repair.");
            return before.IsIntact ? ExitCode.Done : ExitCode.Problems;
        }

        private ExitCode DryRunEnd(RepairPlan plan, VerifyResult before)
        {
            if (session.IsJson)
                Write(plan, before, null);
            else
                session.Output.WriteLine("Nothing was changed: this was a dry run. The same command without --dry-run does it.");
            return ExitCode.Problems;
        }

        private ExitCode Declined()
        {
            session.Output.WriteLine("Nothing was changed.");
            return ExitCode.Problems;
        }

        private void Write(RepairPlan plan, VerifyResult before, RepairOutcome? outcome) => Session.Write(
            new RepairDocument
            {
                Install = PathBytes.Shown(path),
                DryRun = IsDryRun,
                ExitCode = (int)(outcome?.Code ?? ExitCode.Problems),
                Plan = PlanPart.Of(plan),
                Operation = outcome?.Operation,
                HeldAt = outcome?.HeldAt,
                StepsDone = outcome?.StepsDone ?? 0,
                Sources = [.. (outcome?.Sources ?? []).Select(s => new SourcePart(s.Name, s.Bytes, s.BadPieces, s.Failures, s.IsDropped, s.HasChanged))],
                BytesElsewhere = outcome?.BytesElsewhere ?? 0,
                Causes = [.. (outcome?.Causes ?? []).Select(c => new CausePart(JsonNames.OfName(c.Cause.ToString()), c.Evidence, c.Advice, [.. c.Paths.Select(PathBytes.Shown)]))],
                Failures = [.. (outcome?.Failures ?? []).Select(f => new FailurePart(PathBytes.Shown(f.Path), f.Reason, (int)f.Code))],
                Before = VerifyDocument.Of(before, path, straysCount: false, next: null),
                After = outcome is null ? null : VerifyDocument.Of(outcome.After, path, straysCount: false, next: null),
            },
            Documents.Readable.RepairDocument);
    }
}
