using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Remedies;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta setup</c></summary>
internal static class SetupCommand
{
    public static Command Build() => new(
        "setup",
        "Run a product's own setup program. Only if it matches the manifest; what it reports is checked.")
    {
        Build("install", "Have the vendor's program install the product."),
        Build("repair", "Have the vendor's program repair the product."),
        Build("remove", "Have the vendor's program uninstall the product."),
    };

    private static ExampleCommand Build(string action, string description)
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var manifest = new Option<string?>("--manifest")
        {
            Description = "Use this manifest instead of the profile's.",
            HelpName = "FILE",
        };
        var examples = $"  mukta setup {action} tidewarden --dry-run\n  mukta setup {action} tidewarden --yes";
        var command = new ExampleCommand(action, description, examples)
        {
            product, manifest,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var named = parsed.GetValue(manifest) is { } file ? found.Loaded.Named(StandardInput.FileOf(file)) : null;
            var path = await choice.InstallAsync(parsed, found, session, cancel, named).ConfigureAwait(false);
            var remedy = new SetupRemedy(found.Target([path], named), action, Product.ToolsOf(found.Machine, session, parsed));
            return await acting.RunAsync(session, parsed, remedy, new SetupView(session, found), cancel).ConfigureAwait(false);
        });
        return command;
    }
}
