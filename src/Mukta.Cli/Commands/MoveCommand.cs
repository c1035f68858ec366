using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Manifests;
using Mukta.Moving;
using Mukta.Remedies;

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
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var destination = new Argument<string>("DEST") { Description = "A folder to put the install into, or its new name." };
        var manifest = new Option<string?>("--manifest")
        {
            Description = "The release's manifest, where the profile's own is not meant.",
            HelpName = "FILE",
        };
        var command = new ExampleCommand(
            "move", "Move an install to another drive. It is copied, read back and put in its new place before the old one is set aside; "
            + "launch entries follow.", Examples)
        {
            product, destination, manifest,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var named = parsed.GetValue(manifest) is { } file ? new LazyManifest(file) : null;
            IReadOnlyList<string> installs = Mover.Interrupted(found.Machine, found.Profile.Product) is not null ? []
                : [await choice.InstallAsync(parsed, found, session, cancel, named).ConfigureAwait(false)];
            var tools = Product.ToolsOf(found.Machine, session, parsed);
            var remedy = new MoveRemedy(found.Target(installs, named), parsed.GetRequiredValue(destination), tools);
            return await acting.RunAsync(
                session, parsed, remedy, new MoveView(session, found), cancel).ConfigureAwait(false);
        });
        return command;
    }
}
