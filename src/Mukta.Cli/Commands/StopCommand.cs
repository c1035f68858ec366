using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Processes;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta stop</c></summary>
internal static class StopCommand
{
    private const string Examples = """
          mukta stop gannet-post
          mukta stop gannet-post --conflicts
        """;

    public static Command Build()
    {
        var target = new TargetOptions { IsCompared = false };
        var seconds = CommonOptions.Seconds("--seconds", "How long to wait after asking", least: 0);
        var force = new Option<bool>("--force") { Description = "Kill what still runs after that. Unsaved work is lost." };
        var conflicts = new Option<bool>("--conflicts")
        {
            Description = "Instead stop the first program that the profile lists as a conflict.",
        };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "stop", "Ask the processes that use an install to exit. Kills them only with --force.", Examples)
        {
            conflicts,
            seconds,
            force,
            dryRun,
            yes,
        };
        target.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            if (parsed.GetValue(conflicts))
            {
                var product = target.Product(parsed) ?? throw new MuktaException(
                    ExitCode.BadInput, "Only a profile lists conflicts, and this is a folder.", Shell.Typed(parsed),
                    "Name the product; mukta profile show lists them.");
                var remedy = new StopConflictsRemedy(
                    product.Target([]), UserEnvironment.Get, Product.ToolsOf(product.Machine, session, parsed))
                {
                    Patience = TimeSpan.FromSeconds(parsed.GetValue(seconds)),
                    Force = parsed.GetValue(force),
                };
                return await new RemedyRun<StopConflictsPlan, StopConflictsOutcome>(session, remedy, new ConflictView(session, product))
                {
                    IsDryRun = parsed.GetValue(dryRun),
                    IsAgreed = parsed.GetValue(yes),
                }.ToEndAsync(cancel).ConfigureAwait(false);
            }

            var found = await target.FindAsync(parsed, session, needsManifest: false, cancel).ConfigureAwait(false);
            var run = new Run(session, found, TimeSpan.FromSeconds(parsed.GetValue(seconds)), parsed.GetValue(force));
            return (int)await run.ToEndAsync(parsed.GetValue(dryRun), parsed.GetValue(yes), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private sealed class Run(Session session, InstallTarget target, TimeSpan patience, bool force)
    {
        private int hiddenProcesses;

        public async Task<ExitCode> ToEndAsync(bool isDryRun, bool isAgreed, CancellationToken cancel)
        {
            using var install = Folder.Open(target.Path);
            var (running, hidden) = target.Guard.Using([install.RealPath], []);
            hiddenProcesses = hidden;
            if (!session.IsJson && !session.IsQuiet)
                List(running);
            if (running.Count == 0 || isDryRun)
            {
                return End(
                    ExitCode.Done, isDryRun, [.. running.Select(ProcessPart.Of)],
                    running.Count == 0 ? "No process uses it." : Session.DryRun);
            }

            if (!isAgreed && !await Question.IsAnsweredYesAsync(
                session, force ? "Ask them to exit, and kill those that do not?" : "Ask them to exit?", cancel).ConfigureAwait(false))
                return End(ExitCode.Problems, isDryRun, [.. running.Select(ProcessPart.Of)], "Nothing was changed.");

            var ender = new ProcessEnder(new ProcessTable(), TimeProvider.System);
            var ended = await CountingDownAsync(waiting => ender.EndAsync(running, patience, force, waiting, cancel)).ConfigureAwait(false);
            var left = ended.Where(e => !e.IsGone).ToList();
            if (!session.IsJson)
            {
                left.ForEach(
                    l => session.Output.MarkupLineInterpolated(
                    $"  [red]left[/]  process {l.Process.Pid}, {PathBytes.Shown(l.Process.Name)}: it {l.Reason}"));
            }

            return End(
                left.Count == 0 ? ExitCode.Done : ExitCode.Blocked, isDryRun, [.. ended.Select(ProcessPart.Of)],
                left.Count == 0 ? $"{Units.Count(ended.Count, "process", "processes")} stopped."
                : force ? "See what keeps it with: ps -fp " + string.Join(',', left.Select(l => l.Process.Pid))
                : $"Next: mukta stop {target.Arguments} --force");
        }

        private void List(IReadOnlyList<RunningProcess> running)
        {
            foreach (var process in running)
            {
                var who = $"{process.OwnerInWords}, since {process.Since.ToLocalTime():yyyy-MM-dd HH:mm:ss}";
                session.Output.MarkupLineInterpolated($"  [bold]{process.Pid,7}[/]  {PathBytes.Shown(process.Name),-15}  {who}");
                foreach (var reason in process.Reasons)
                    session.Output.WriteLine($"           {PathBytes.Shown(reason)}");
            }
        }

        private ExitCode End(ExitCode code, bool isDryRun, IReadOnlyList<ProcessPart> processes, string line)
        {
            if (session.IsJson)
            {
                Session.Write(new StopDocument(
                    "mukta.stop/1", PathBytes.Shown(target.Path), isDryRun, (int)code, processes)
                { Hidden = hiddenProcesses },
                    Documents.Readable.StopDocument);
            }
            else
                session.Output.WriteLine(line);
            if (!session.IsJson && hiddenProcesses > 0)
            {
                session.Output.WriteLine(
                    $"{Units.Count(hiddenProcesses, "process", "processes")} of other users could not be checked.\nNext: sudo "
                    + $"mukta stop {target.Arguments} --dry-run");
            }

            return code;
        }

        /// <summary>Shows on a terminal how long it is still going to wait.</summary>
        private async Task<IReadOnlyList<EndedProcess>> CountingDownAsync(
            Func<Action<int, TimeSpan>?, Task<IReadOnlyList<EndedProcess>>> work)
        {
            if (session.IsQuiet || session.Error.Profile is not { Out.IsTerminal: true, Capabilities.Interactive: true })
                return await work(null).ConfigureAwait(false);
            static string Waiting(int left, TimeSpan rest) =>
                $"waiting for {Units.Count(left, "process", "processes")}, {Math.Ceiling(rest.TotalSeconds):0} s more";
            return await new Status(session.Error)
                .StartAsync("asking", context => work((left, rest) => context.Status(Waiting(left, rest)))).ConfigureAwait(false);
        }
    }
}
