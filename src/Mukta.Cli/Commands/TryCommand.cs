using System.Collections;
using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Trial;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta try</c></summary>
internal static class TryCommand
{
    private const string Examples = """
          mukta try gannet-post
          mukta try gannet-post --seconds 60 --end
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var seconds = CommonOptions.Seconds("--seconds", "How long to watch it", least: 1, usual: 20);
        var end = new Option<bool>("--end") { Description = "End it afterwards; kill it if it does not end. Unsaved work is lost." };
        var dryRun = CommonOptions.DryRun();
        var command = new ExampleCommand("try", "Start a product as its shortcut does, watch it, and say what comes of it.", Examples)
        {
            product, seconds, end, dryRun,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallAsync(parsed, found, session, cancel).ConfigureAwait(false);
            var target = found.Target([install]);
            target.Guard.Refuse([install], []);
            var trial = new ProductTrial(found.Machine, Variables(), TimeProvider.System);
            var start = trial.PlanOf(found.Profile, install);
            var text = new TrialText(session.Output, found.Profile.Title);
            var isDryRun = parsed.GetValue(dryRun);
            if (!session.IsJson && !session.IsQuiet)
                text.Write(start);
            if (isDryRun && !session.IsJson)
                session.Output.WriteLine(Session.DryRun);
            var duration = TimeSpan.FromSeconds(parsed.GetValue(seconds));
            var report = isDryRun ? null
                : await WatchingAsync(
                    session, duration, () => trial.RunAsync(start, duration, parsed.GetValue(end), cancel)).ConfigureAwait(false);
            var code = report is null or { Result: TrialResult.Running or TrialResult.HandedOver } ? ExitCode.Done : ExitCode.Problems;
            if (session.IsJson)
                Session.Write(TryDocument.Of(found.Profile.Product, start, report, isDryRun, code), Documents.Readable.TryDocument);
            else if (report is not null)
                text.Write(report, session.IsQuiet);
            if (report is not null && !session.IsQuiet && !session.IsJson)
            {
                if (code != ExitCode.Done)
                    session.Next($"mukta check {found.Arguments}");
                else if (report.Ended.Count == 0)
                    session.Next($"mukta stop {found.Arguments}");
            }

            return (int)code;
        });
        return command;
    }

    /// <summary>Shows for how long a trial is going on.</summary>
    public static async Task<TrialReport> WatchingAsync(Session session, TimeSpan duration, Func<Task<TrialReport>> work) =>
        session.IsQuiet || session.Error.Profile is not { Out.IsTerminal: true, Capabilities.Interactive: true }
        ? await work().ConfigureAwait(false)
        : await new Status(session.Error).StartAsync($"watching for {duration.TotalSeconds:0} s", _ => work()).ConfigureAwait(false);

    /// <summary>The environment, as <c>NAME=VALUE</c>.</summary>
    public static List<string> Variables() =>
        [.. Environment.GetEnvironmentVariables().Cast<DictionaryEntry>().Select(v => $"{v.Key}={v.Value}")];
}
