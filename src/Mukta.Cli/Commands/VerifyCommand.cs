using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Hashing;
using Mukta.Operations;
using Mukta.Remedies;
using Mukta.Repair;
using Mukta.State;
using Mukta.Verification;
using Mukta.Verification.Quick;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta verify</c></summary>
internal static class VerifyCommand
{
    private const string Examples = """
          mukta verify games/gannet-post --manifest gannet-post.meta4
          mukta verify gannet-post --quick --profiles profiles --json | jq .counts
        """;

    public static Command Build()
    {
        var target = new TargetOptions();
        var noStrays = new Option<bool>("--strict") { Description = "Treat files that are not in the manifest as problems." };
        var all = new Option<bool>("--all") { Description = "List every finding." };
        var quick = new Option<bool>("--quick")
        {
            Description = "Skip files unchanged since last read. Misses silent disk damage.",
        };
        var offline = new Option<bool>("--offline") { Description = "Use the manifest that was kept; ask nobody for it." };
        var command = new ExampleCommand("verify", "Compare an install with its manifest.", Examples)
        {
            quick,
            noStrays,
            all,
            offline,
        };
        target.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = await target.FindAsync(parsed, session, needsManifest: true, cancel).ConfigureAwait(false);
            var code = await RunAsync(
                session, found, parsed.GetValue(quick), parsed.GetValue(noStrays), parsed.GetValue(all), cancel).ConfigureAwait(false);
            target.SayUnchecked(parsed, session);
            return code;
        });
        return command;
    }

    private static async Task<int> RunAsync(
        Session session, InstallTarget target, bool isQuick, bool straysCount, bool all, CancellationToken cancel)
    {
        using var install = Folder.Open(target.Path);
        var meter = new WorkMeter();
        var (verifier, options) =
            (new QuickVerifier(TimeProvider.System, new VerifiedRecords(target.Machine)), new VerifyOptions { Meter = meter });
        var result = await Progressing.ShowAsync(
            session, meter,
            () => Task.FromResult(
            isQuick ? verifier.Quick(target.ManifestFile!, install, options, cancel)
            : verifier.Full(target.ManifestFile!, install, options, cancel))).ConfigureAwait(false);
        if (session.IsVerbose)
            session.Log().Debug("hashed with {Method}", HashMethod.DecisionFor(result.BytesRead));

        var running = target.Guard.Using([target.Path], []).Running;
        var pending = new OperationCatalog(target.Machine.Home, TimeProvider.System).Pending(result.Release.Product, [target.Path]);
        var newer = result.IsIntact ? null : InstalledRelease.NewerThan(install, result.Release);
        var older = result.IsIntact ? null : InstalledRelease.OlderThan(install, result.Release);
        var read = target.ManifestFile!.ValueIfRead;
        var next = newer is not null || read?.LacksSizes == true ? null
            : NextStep.After(result, target, straysCount, isRunning: running.Count > 0);
        if (session.IsJson)
        {
            Session.Write(
                VerifyDocument.Of(result, target.Path, straysCount, next) with
                {
                    NewerInstalled = newer is null ? null : ReleasePart.Of(newer),
                    OlderInstalled = older is null ? null : ReleasePart.Of(older),
                    Running = running.Count == 0 ? null : [.. running.Select(ProcessPart.Of)],
                    Pending = pending.Count == 0 ? null : [.. pending.Select(PendingPart.Of)],
                },
                Documents.Readable.VerifyDocument);
        }
        else if (session.IsQuiet)
            new VerifyText(session.Output, target.Path) { StraysCount = straysCount }.Verdict(result, isQuiet: true);
        else
        {
            new VerifyText(session.Output, target.Path)
            {
                ShowAll = all,
                StraysCount = straysCount,
                Newer = newer,
                Older = older,
                Format = read?.Format,
                LacksSizes = read?.LacksSizes == true,
            }
                .Write(result, next, running, pending);
        }

        return (int)(result.IsIntact && !(straysCount && result.Strays.Any()) ? ExitCode.Done : ExitCode.Problems);
    }
}
