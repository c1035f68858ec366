using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Processes;
using Mukta.Manifests;
using Mukta.Operations;
using Mukta.Products;
using Mukta.Reinstall;
using Mukta.Setup;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta setup</c></summary>
internal static class SetupCommand
{
    private const string Examples = """
          mukta setup tidewarden --repair
          mukta setup tidewarden --remove --dry-run
        """;

    private static readonly string[] Actions = ["install", "repair", "remove"];

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var actions = Actions.Select(a => new Option<bool>($"--{a}") { Description = a switch { "repair" => "Let it repair what it has set up: the most frequent use.", "install" => "Let it set the product up.", _ => "Let it take the product away." } }).ToList();
        var manifest = new Option<string?>("--manifest") { Description = "The release's manifest, where the profile's own is not meant. It vouches for the setup program.", HelpName = "FILE" };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("setup", "Run the vendor's own setup program of a product, only while its bytes are the published ones, and look whether what it says is true.", Examples) { product };
        actions.ForEach(command.Options.Add);
        foreach (var option in new Option[] { manifest, dryRun, yes })
            command.Options.Add(option);
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (actions.Count(a => result.GetResult(a) is { Implicit: false }) != 1)
                result.AddError("Say one of --install, --repair and --remove.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var of = MetalinkReader.ReadFile(parsed.GetValue(manifest) ?? found.ManifestFile);
            var path = await choice.InstallAsync(parsed, found, of, session, cancel).ConfigureAwait(false);
            var typed = Shell.Typed(parsed);
            var run = new Run(session, found, of, path, actions.First(a => parsed.GetValue(a)).Name[2..], typed) { IsDryRun = parsed.GetValue(dryRun), IsAgreed = parsed.GetValue(yes) };
            return (int)await run.ToEndAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, Product product, Manifest manifest, string path, string action, string typed)
    {
        public bool IsDryRun { get; init; }

        public bool IsAgreed { get; init; }

        public async Task<ExitCode> ToEndAsync(CancellationToken cancel)
        {
            var profile = product.Profile;
            if (profile.Setup is not { } setup)
                throw new MuktaException(ExitCode.BadInput, $"The profile of {profile.Title} describes no setup program.", product.Loaded.File, $"Add the key setup, or make it anew with: mukta reinstall {profile.Product}{product.OptionsForOthers}");
            if (!setup.Actions.TryGetValue(action, out var how))
                throw new MuktaException(ExitCode.BadInput, $"The setup program of {profile.Title} has no {action}.", product.Loaded.File, $"It has: {string.Join(", ", setup.Actions.Keys.Order().Select(a => $"--{a}"))}");
            if (!product.Machine.IsLive)
                throw new MuktaException(ExitCode.BadInput, "A setup program can only be run on its own machine.", product.Machine.Root, "Start that machine and run the command there.");
            using var install = Folder.Open(path);
            var interrupted = Operation.FindInterrupted(product.Machine.Home, "setup", profile.Product);
            if (interrupted is null)
                SetupRunner.Prove(install, setup, manifest, cancel);
            if (!session.IsJson && !(session.IsQuiet && IsAgreed))
                Plan(setup, how, interrupted is not null);
            if (IsDryRun)
                return End(ExitCode.Problems, null, "Nothing was run: this was a dry run.");
            var control = ServicesCommand.ControlOf(product.Machine);
            if (profile.Services.Count > 0)
                ServiceRights.Refuse(control, product.Machine, profile.Services.Select(s => s.Unit), typed);
            await RefuseIfRunningAsync(control, install, cancel).ConfigureAwait(false);
            if (!IsAgreed && !await Question.IsAnsweredYesAsync(session, "Run it?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, null, "Nothing was run.");
            return Done(await RunAsync(control, install, cancel).ConfigureAwait(false));
        }

        private async Task<SetUpInstall> RunAsync(Host.Services.IServiceControl control, Folder install, CancellationToken cancel)
        {
            var meter = new WorkMeter();
            meter.Begin($"running the vendor's {action}", 0);
            try
            {
                return await Progressing.ShowAsync(session, meter, () => new SetupOperation(product.Machine, control, TimeProvider.System) { Begun = product.Remember }
                    .RunAsync(product.Profile, install, action, manifest, cancel)).ConfigureAwait(false);
            }
            catch (ReinstallStopped e)
            {
                if (e.State == ReinstallState.WaitsForRestart)
                    WaitingOperations.Put(product.Machine.Home, new WaitingOperation(e.Operation, typed, SetupRunner.Boot));
                throw;
            }
        }

        /// <summary>A service's own process does not count: the setup program looks after it.</summary>
        private async Task RefuseIfRunningAsync(Host.Services.IServiceControl control, Folder install, CancellationToken cancel)
        {
            var up = await control.StatesAsync([.. product.Profile.Services.Select(s => s.Unit)], cancel).ConfigureAwait(false);
            var running = new ProcessTable().Using([install.RealPath], product.Profile.Processes).Running.Where(r => up.All(s => s.MainPid != r.Pid)).ToList();
            if (running.Count > 0)
                throw new ProductRuns(running, $"End it with: mukta stop {product.Arguments}");
        }

        private void Plan(SetupProgram setup, SetupAction how, bool goesOn)
        {
            console.MarkupLineInterpolated($"[bold]{product.Profile.Title}[/], the vendor's {action} in {PathBytes.Shown(path)}");
            if (goesOn)
                console.WriteLine("  goes on after the restart: what it has set up is looked at");
            else
                console.WriteLine($"  program    {setup.Program} {string.Join(' ', how.Arguments.Select(Shell.Quoted))}, as published");
            console.WriteLine($"  time       at most {Units.Time(how.TimeLimit)}, then it is ended");
            if (action != "remove")
                console.WriteLine($"  afterwards {string.Join(", ", setup.Then.Active.Select(u => $"{u} active").Concat(setup.Then.Files.Select(f => $"{f} there")).DefaultIfEmpty("nothing is asked for"))}");
            console.WriteLine("  way back   services as they were; the rest is the vendor's to undo");
            console.WriteLine();
        }

        private readonly IAnsiConsole console = session.Output;

        private ExitCode Done(SetUpInstall done)
        {
            var code = done.After?.IsIntact == false ? ExitCode.Problems : ExitCode.Done;
            if (session.IsJson)
                return End(code, done, "");
            if (!session.IsQuiet)
            {
                foreach (var line in done.Setup?.LastLines ?? [])
                    console.WriteLine($"  it said: {line}");
            }

            console.WriteLine(done.Setup is { } setup ? $"The vendor's {action} is done, in {Units.Time(setup.Elapsed)}, and what should be true is." : $"The vendor's {action} is done: after the restart what should be true is.");
            if (done.After is { } after)
                new VerifyText(console, path).Verdict(after);
            if (done.After?.IsIntact == false)
                console.WriteLine($"Next: mukta repair {product.Arguments}");
            else if (!session.IsQuiet)
                console.WriteLine($"Operation {done.Operation}. To have the services as they were: mukta undo {done.Operation}{product.OptionsForUndo}");
            return code;
        }

        private ExitCode End(ExitCode code, SetUpInstall? done, string line)
        {
            if (session.IsJson)
            {
                Session.Write(
                    new SetupDocument(
                        "mukta.setup/1", product.Profile.Product, action, PathBytes.Shown(path), product.Profile.Setup!.Program, product.Profile.Setup.Actions[action].Arguments, product.Profile.Setup.Actions[action].TimeLimit.TotalSeconds, IsDryRun, (int)code, done?.Operation, done?.Setup?.ExitCode, done?.Setup?.Elapsed.TotalSeconds, done?.Setup?.LastLines,
                        done?.After is { } after ? VerifyDocument.Of(after, path, straysCount: false, next: null) : null),
                    Documents.Readable.SetupDocument);
            }
            else
            {
                session.Output.WriteLine(line);
            }

            return code;
        }
    }
}
