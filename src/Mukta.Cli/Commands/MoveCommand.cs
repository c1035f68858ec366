using System.CommandLine;
using Mukta.Cli.Rendering;
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
        var destination = new Argument<string>("DEST") { Description = "The folder to move the install into, or its new path." };
        var manifest = new Option<string?>("--manifest")
        {
            Description = "Use this manifest instead of the profile's.",
            HelpName = "FILE",
        };
        var command = new ExampleCommand(
            "move", "Move an install to another disk. The copy is verified before the old one is set aside; shortcuts are updated.",
            Examples)
        {
            product, destination, manifest,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var named = parsed.GetValue(manifest) is { } file ? found.Loaded.Named(StandardInput.FileOf(file)) : null;
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
