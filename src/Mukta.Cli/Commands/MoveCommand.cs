using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Moving;
using Mukta.Reinstall;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta move</c></summary>
internal static class MoveCommand
{
    private const string Examples = """
          mukta move gannet-post /mnt/second/games --dry-run
          mukta move gannet-post /mnt/second/games/gannet-post
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var destination = new Argument<string>("DEST") { Description = "A folder to put the install into, or its new name." };
        var manifest = new Option<string?>("--manifest") { Description = "The release's manifest, where the profile's own is not meant.", HelpName = "FILE" };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("move", "Move an install to another drive. It is copied, read back and put in its new place before the old one is held; launch entries follow.", Examples) { product, destination, manifest, dryRun, yes };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var of = parsed.GetValue(manifest) ?? (File.Exists(found.Loaded.ManifestLocation) ? found.Loaded.ManifestLocation : null);
            var release = of is null ? null : MetalinkReader.ReadFile(of);
            var interrupted = Mover.Interrupted(found.Machine, found.Profile.Product);
            var plan = interrupted is { } left ? MovePlan.GoingOn(found.Profile, left.From, left.To, parsed.GetRequiredValue(destination), cancel)
                : MovePlan.Of(found.Profile, await choice.InstallAsync(parsed, found, release, session, cancel).ConfigureAwait(false), parsed.GetRequiredValue(destination), cancel);
            var run = new Run(session, found, plan with { Inside = InsideOf(found, plan) }, release, Shell.Typed(parsed))
            {
                GoesOn = interrupted is not null,
                IsDryRun = parsed.GetValue(dryRun),
                IsAgreed = parsed.GetValue(yes),
            };
            return (int)await run.ToEndAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }

    /// <summary>What belongs to other products and moves along.</summary>
    private static List<(string Product, string Path)> InsideOf(Product product, MovePlan plan)
    {
        var choice = new ReinstallChoice(product.Machine, product.Catalog);
        return [.. product.Catalog.Profiles.Where(p => p.Profile.Product != product.Profile.Product)
            .SelectMany(p => choice.Installs(p).Select(Folder.RealPathOf).Where(i => i.StartsWith(plan.From + "/", StringComparison.Ordinal)).Select(i => (p.Profile.Product, i[(plan.From.Length + 1)..])))];
    }

    private sealed class Run(Session session, Product product, MovePlan plan, Manifest? manifest, string typed)
    {
        public bool GoesOn { get; init; }

        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(CancellationToken cancel)
        {
            if (!session.IsJson && !(session.IsQuiet && IsAgreed))
                Show();
            if (!GoesOn)
                plan.Prove();
            if (IsDryRun)
                return End(ExitCode.Problems, null, "Nothing was changed: this was a dry run.");
            RefuseIfRunning(plan.From);
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, "Move it?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, null, "Nothing was changed.");
            var meter = new WorkMeter();
            MoveOutcome outcome;
            try
            {
                var mover = new Mover(product.Machine, TimeProvider.System) { Meter = meter, RefuseIfRunning = RefuseIfRunning, Begun = product.Remember };
                outcome = await Progressing.ShowAsync(session, meter, () => Task.FromResult(mover.Move(plan, manifest, cancel))).ConfigureAwait(false);
            }
            catch (ReinstallStopped e)
            {
                var where = e.State == ReinstallState.ChangedOver ? $"State: the install is whole in {PathBytes.Shown(plan.To)}; not all that follows is done." : $"State: the install is whole where it was, in {PathBytes.Shown(plan.From)}.";
                throw new MuktaException(e.Code, e.What, e.Where, $"{e.Next}\n{where}\nTo go on: {typed}\nTo go back: mukta undo {e.Operation}{product.OptionsForUndo}", e);
            }

            return Done(outcome);
        }

        private void Show()
        {
            var console = session.Output;
            if (GoesOn)
                console.WriteLine("Goes on with a move that was interrupted.");
            console.MarkupLineInterpolated($"[bold]{product.Profile.Title}[/] moves");
            console.WriteLine($"  from       {PathBytes.Shown(plan.From)}");
            console.WriteLine($"  to         {PathBytes.Shown(plan.To)}");
            console.WriteLine($"  how        {(plan.IsRename ? "a rename within the same file system: nothing is copied" : $"copies {Units.Bytes(plan.Size.Bytes)} in {Units.Count(plan.Size.Files, "file")}, reads them back; the old is held")}");
            foreach (var (inside, path) in plan.Inside)
                console.WriteLine($"  along      {inside}, which lies inside, in {PathBytes.Shown(path)}");
            if (product.Profile.Launch.Count > 0)
                console.WriteLine($"  then       {Units.Count(product.Profile.Launch.Count, "launch entry", "launch entries")} and the record follow");
            if (!plan.IsRename && !plan.Can.KeepsModes)
                console.WriteLine("  note       that disk keeps no permission bits");
            console.WriteLine($"  lost       nothing{(plan.IsRename ? "" : ": the old install is held, and takes room until held purge")}");
            console.WriteLine();
        }

        private ExitCode Done(MoveOutcome outcome)
        {
            var code = outcome.After?.IsIntact == false ? ExitCode.Problems : ExitCode.Done;
            if (session.IsJson)
                return End(code, outcome, "");
            if (outcome.After is { } after)
                new VerifyText(session.Output, plan.To).Verdict(after);
            if (session.IsQuiet)
                return code;
            foreach (var left in outcome.LeftOut)
                session.Output.WriteLine($"  left out: {PathBytes.Shown(left)}, a socket, pipe or device");
            session.Output.WriteLine($"Moved to {PathBytes.Shown(plan.To)}, operation {outcome.Operation}. To go back: mukta undo {outcome.Operation}{product.OptionsForUndo}");
            if (code == ExitCode.Problems)
                session.Output.WriteLine($"It was not intact before either: every byte was compared with the old install's.\nNext: mukta repair {product.Profile.Product} --install {Shell.Quoted(plan.To)}{product.OptionsForOthers}");
            else if (product.Profile.Services.Count > 0)
                session.Output.WriteLine($"Its services may still look for the old folder. Next: {(product.Profile.Setup?.Actions.ContainsKey("repair") == true ? $"{Shell.Sudo}mukta setup {product.Profile.Product} --repair{product.OptionsForOthers}" : $"mukta services {product.Profile.Product}{product.OptionsForOthers}")}");
            return code;
        }

        private void RefuseIfRunning(string path)
        {
            if (product.Machine.IsLive && Directory.Exists(path) && new ProcessTable().Using([path], product.Profile.Processes).Running is { Count: > 0 } running)
                throw new ProductRuns(running, $"End it with: mukta stop {product.Arguments}");
        }

        private ExitCode End(ExitCode code, MoveOutcome? outcome, string line)
        {
            if (session.IsJson)
            {
                Session.Write(
                    new MoveDocument(
                        "mukta.move/1", product.Profile.Product, PathBytes.Shown(plan.From), PathBytes.Shown(plan.To), IsDryRun, (int)code, plan.IsRename, plan.Size.Bytes, plan.Size.Files, outcome?.Operation,
                        [.. (outcome?.LeftOut ?? []).Select(PathBytes.Shown)], outcome?.After is { } after ? VerifyDocument.Of(after, plan.To, straysCount: false, next: null) : null),
                    Documents.Readable.MoveDocument);
            }
            else
            {
                session.Output.WriteLine(line);
            }

            return code;
        }
    }
}
