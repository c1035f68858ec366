using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Verification;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta verify</c></summary>
internal static class VerifyCommand
{
    private const string Examples = """
          mukta verify games/gannet-post --manifest gannet-post.meta4
          mukta verify games/gannet-post --manifest gannet-post.meta4 --json | jq .counts
        """;

    public static Command Build()
    {
        var install = CommonOptions.Install();
        var manifest = CommonOptions.Manifest();
        var noStrays = new Option<bool>("--no-strays") { Description = "Count files that the manifest does not list as problems." };
        var all = new Option<bool>("--all") { Description = "List every finding, however many there are." };
        var command = new ExampleCommand("verify", "Compare an install with its manifest. Changes nothing.", Examples) { install, manifest, noStrays, all };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            return await RunAsync(
                session, parsed.GetRequiredValue(install), parsed.GetRequiredValue(manifest), parsed.GetValue(noStrays), parsed.GetValue(all), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<int> RunAsync(Session session, string path, string manifestPath, bool straysCount, bool all, CancellationToken cancel)
    {
        var manifest = MetalinkReader.ReadFile(manifestPath);
        using var install = Folder.Open(path);
        var meter = new WorkMeter();
        var result = await Progressing.ShowAsync(
            session, meter, () => Task.FromResult(new Verifier(TimeProvider.System).Verify(manifest, install, new VerifyOptions { Meter = meter }, cancel))).ConfigureAwait(false);

        var next = NextStep.After(result, path, manifestPath, straysCount);
        if (session.IsJson)
            Session.Write(VerifyDocument.Of(result, path, straysCount, next), Documents.Default.VerifyDocument);
        else if (session.IsQuiet)
            new VerifyText(session.Output, path) { StraysCount = straysCount }.Verdict(result);
        else
            new VerifyText(session.Output, path) { ShowAll = all, StraysCount = straysCount }.Write(result, next);
        return (int)(result.IsIntact && !(straysCount && result.Strays.Any()) ? ExitCode.Done : ExitCode.Problems);
    }
}
