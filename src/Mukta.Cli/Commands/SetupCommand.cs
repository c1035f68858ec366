using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Manifests;
using Mukta.Remedies;

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
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var actions = Actions.Select(
            a => new Option<bool>(
            $"--{a}")
            {
                Description =
            a switch
            {
                "repair" => "Let it repair what it has set up: the most frequent use.",
                "install" => "Let it set the product up.",
                _ => "Let it take the product away."
            }
            }).ToList();
        var manifest = new Option<string?>("--manifest")
        {
            Description = "The release's manifest, where the profile's own is not meant. It vouches for the setup program.",
            HelpName = "FILE",
        };
        var command = new ExampleCommand(
            "setup",
            "Run the vendor's own setup program of a product, only while its bytes are the published ones, and look whether what it says "
            + "is true.", Examples)
        {
            product,
        };
        actions.ForEach(command.Options.Add);
        command.Options.Add(manifest);
        acting.AddTo(command);
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
            var named = parsed.GetValue(manifest) is { } file ? new LazyManifest(file) : null;
            var path = await choice.InstallAsync(parsed, found, named ?? found.Loaded.ManifestFile, session, cancel).ConfigureAwait(false);
            var tools = Product.ToolsOf(found.Machine, session, parsed);
            var remedy = new SetupRemedy(found.Target([path], named), actions.First(a => parsed.GetValue(a)).Name[2..], tools);
            return await acting.RunAsync(
                session, parsed, remedy, new SetupView(session, found), cancel).ConfigureAwait(false);
        });
        return command;
    }
}
