using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests.Formats;
using Mukta.Verification;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta bundle show</c></summary>
internal static class BundleShowCommand
{
    private const string Examples = """
          mukta bundle show /media/stick/gannet-post
          mukta bundle show /media/stick/gannet-post --json
        """;

    public static Command Build()
    {
        var path = new Argument<string>("DIR") { Description = "The bundle's folder." };
        var command = new ExampleCommand("show", "Show what a bundle is for, and check that it is as it was made.", Examples) { path };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var folder = parsed.GetRequiredValue(path);
            if (!Bundle.IsAt(folder))
            {
                throw new MuktaException(
                    ExitCode.BadInput, "This folder is not a bundle.", PathBytes.Shown(folder), "Make one with: mukta bundle make");
            }

            using var bundle = Bundle.Open(folder);
            var listed = ManifestReader.ReadFile(folder);
            using var payload = Folder.Open(Path.Join(folder, Bag.Payload));
            var meter = new WorkMeter();
            var found = await Progressing.ShowAsync(
                session, meter,
                () => Task.FromResult(
                    new Verifier(TimeProvider.System).Verify(listed, payload, new VerifyOptions { Meter = meter }, cancel)))
                .ConfigureAwait(false);
            if (session.IsJson)
                Session.Write(BundleShowDocument.Of(bundle, found), Documents.Readable.BundleShowDocument);
            else
                new BundleText(session).Write(bundle, found);
            return (int)(found.IsIntact ? ExitCode.Done : ExitCode.Problems);
        });
        return command;
    }
}
