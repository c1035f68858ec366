using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta launch</c></summary>
internal static class LaunchCommand
{
    private const string Examples = """
          mukta launch gannet-post
          mukta launch gannet-post --restore --dry-run
        """;

    public static Command Build()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var restore = new Option<bool>("--restore")
        {
            Description = "Put in what the profile asks for; what the user added stays. Entries of removed releases are set aside.",
        };
        var command = new ExampleCommand("launch", "Show a product's launch entries; put them right.", Examples) { product, restore };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = Path.GetFullPath(await choice.InstallAsync(parsed, found, session, cancel).ConfigureAwait(false));
            var view = new ShortcutsView(session, found, install);
            var remedy = new RestoreShortcutsRemedy(found.Target([install]), Product.ToolsOf(found.Machine, session, parsed));
            return parsed.GetValue(restore)
                ? await acting.RunAsync(
                session, parsed, remedy, view, cancel).ConfigureAwait(false)
                : Show(session, found, view, await remedy.PlanAsync(cancel).ConfigureAwait(false));
        });
        return command;
    }

    private static int Show(Session session, Product product, ShortcutsView view, ShortcutsPlan plan)
    {
        var code = plan.IsEmpty ? ExitCode.Done : ExitCode.Problems;
        if (session.IsJson)
        {
            view.Write(plan, null, isDryRun: false, code);
        }
        else if (plan.IsEmpty)
        {
            view.NothingToDo(plan, session.IsQuiet);
        }
        else
        {
            if (!session.IsQuiet)
                view.Show(plan.Entries);
            session.Output.WriteLine($"\nNext: mukta launch {product.Arguments} --restore");
        }

        return (int)code;
    }
}
