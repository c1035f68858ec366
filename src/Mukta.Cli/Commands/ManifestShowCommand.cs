using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Manifests;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest show</c></summary>
internal static class ManifestShowCommand
{
    private const string Examples = """
          mukta manifest show gannet-post.meta4
          mukta manifest show gannet-post.meta4 --files
        """;

    public static Command Build()
    {
        var path = new Argument<string>("FILE") { Description = "A manifest, or - for standard input." };
        var files = new Option<bool>("--files") { Description = "List the files and links." };
        var trust = new Option<string?>("--trust")
        {
            Description = "Show it only if it is signed under a certificate in FILE (PEM).",
            HelpName = "FILE",
        };
        var command = new ExampleCommand("show", "Show what a manifest lists.", Examples) { path, files, trust };
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var name = parsed.GetRequiredValue(path);
            var file = new LazyManifest(StandardInput.FileOf(name), parsed.GetValue(trust) is { } anchors ? [anchors] : null);
            if (session.IsJson)
                Session.Write(ManifestShowDocument.Of(file.Value, file.Signer, name), Documents.Readable.ManifestShowDocument);
            else
                new ManifestText(session.Output).Write(file.Value, file.Signer, name, parsed.GetValue(files));
            return (int)ExitCode.Done;
        });
        return command;
    }
}
