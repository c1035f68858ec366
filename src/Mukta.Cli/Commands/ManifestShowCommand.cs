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
        var path = new Argument<string>("FILE") { Description = "A Metalink 4 manifest, or - for standard input." };
        var files = new Option<bool>("--files") { Description = "List the files and links." };
        var command = new ExampleCommand("show", "Show what a manifest lists.", Examples) { path, files };
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var name = parsed.GetRequiredValue(path);
            var manifest = MetalinkReader.ReadFile(StandardInput.FileOf(name));
            if (session.IsJson)
                Session.Write(ManifestShowDocument.Of(manifest, name), Documents.Readable.ManifestShowDocument);
            else
                new ManifestText(session.Output).Write(manifest, name, parsed.GetValue(files));
            return (int)ExitCode.Done;
        });
        return command;
    }
}
