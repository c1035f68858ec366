using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Remedies;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta installs sweep</c></summary>
internal static class InstallsSweepCommand
{
    private const string Examples = """
          mukta installs sweep kelp-and-kiln
          mukta installs sweep --dry-run
        """;

    public static Command Build()
    {
        var (product, acting) = (ProductChoice.OptionalArgument(), new ActingOptions());
        var choice = new ProductChoice { IsForOneInstall = false };
        var command = new ExampleCommand(
            "sweep", "Set the folders of older releases aside that are beside the current one.", Examples) { product };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var products = choice.Products(parsed, parsed.GetValue(product));
            var located = InstallsCommand.Locate(products, []);
            var remedy = new SweepRemedy(
                products[0].Machine, products[0].Catalog, [.. located.Select(l => (l.Loaded.Profile, l.Installs))],
                Product.ToolsOf(products[0].Machine, session, parsed));
            return await acting.RunAsync(session, parsed, remedy, new SweepView(session), cancel).ConfigureAwait(false);
        });
        return command;
    }
}
