using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Services;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta services</c></summary>
internal static class ServicesCommand
{
    private const string Examples = """
          mukta services tidewarden
          sudo mukta services tidewarden --restore
        """;

    public static Command Build()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var restore = new Option<bool>("--restore") { Description = "Bring them to the startup mode and state that the profile asks for." };
        var restart = new Option<bool>("--restart") { Description = "Stop and start those that should be up." };
        var off = new Option<bool>("--off")
        {
            Description = "Stop them all, so that their files can be replaced. --restore brings them back.",
        };
        var command = new ExampleCommand("services", "Show a product's services; bring them back to how they should be.", Examples)
        {
            product,
            restore,
            restart,
            off,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (new[] { restore, restart, off }.Count(o => result.GetValue(o)) > 1)
                result.AddError("Only one of --restore, --restart and --off can be done at a time.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var wish = parsed.GetValue(restore) ? ServiceWish.Restore : parsed.GetValue(restart) ? ServiceWish.Restart
                : parsed.GetValue(off) ? ServiceWish.Off : (ServiceWish?)null;
            if (wish is not { } act || found.Profile.Services.Count == 0)
                return await ShowAsync(session, found, cancel).ConfigureAwait(false);
            var remedy = new ServicesRemedy(found.Target([]), act, Product.ToolsOf(found.Machine, session, parsed))
            {
                DoingStep = step => session.Say(ServiceText.Sentence(step)),
            };
            return await acting.RunAsync(
                session, parsed, remedy, new ServicesView(session, found, act), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<int> ShowAsync(Session session, Product product, CancellationToken cancel)
    {
        var control = Product.ControlOf(product.Machine);
        var states = await new ServiceRestorer(control, TimeProvider.System)
            .LookAsync(product.Profile.Services, cancel).ConfigureAwait(false);
        var code = ServicesView.CodeOf(product, states);
        if (session.IsJson)
        {
            Session.Write(ServicesView.DocumentOf(product, states, isDryRun: false, code), Documents.Readable.ServicesDocument);
            return (int)code;
        }

        if (!session.IsQuiet)
            new ServiceText(session.Output).Write(product.Profile.Services, states);
        if (product.Profile.Services.Count == 0)
            session.Output.WriteLine($"{product.Profile.Title} has no service of its own.{Needed(product)}");
        else if (code != ExitCode.Done && control.CanChange)
            session.Output.WriteLine($"\nNext: {Shell.Sudo}mukta services {product.Arguments} --restore");
        return (int)code;
    }

    private static string Needed(Product product)
    {
        var needs = product.Profile.Needs.Where(
            n => product.Catalog.Profiles.Any(p => p.Profile.Product == n && p.Profile.Services.Count > 0)).ToList();
        return needs.Count == 0 ? "" : $" What it needs has: mukta services {needs[0]}{product.Options}";
    }
}
