using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Services;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta services</c> and its words</summary>
internal static class ServicesCommand
{
    private const string Examples = """
          mukta services tidewarden
          sudo mukta services restore tidewarden
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.OptionalArgument(), new ProductChoice { IsForOneInstall = false });
        var command = new ExampleCommand("services", "Show services, or restore, restart or stop them.", Examples)
        {
            product,
            BuildWord(ServiceWish.Restore, "Bring services to the startup mode and state in the profile."),
            BuildWord(ServiceWish.Restart, "Stop and start the services that should be running."),
            BuildWord(ServiceWish.Stop, "Stop services so that their files can be replaced."),
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            return await ShowAsync(session, choice.Products(parsed, parsed.GetValue(product)), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static ExampleCommand BuildWord(ServiceWish wish, string description)
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice { IsForOneInstall = false }, new ActingOptions());
        var word = wish.ToString().ToLowerInvariant();
        var command = new ExampleCommand(
            word, description, $"  mukta services {word} tidewarden\n  mukta services {word} tidewarden --dry-run") { product };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            if (found.Profile.Services.Count == 0)
                return await ShowAsync(session, [found], cancel).ConfigureAwait(false);
            var remedy = new ServicesRemedy(found.Target([]), wish, Product.ToolsOf(found.Machine, session, parsed))
            {
                DoingStep = step => session.Say(ServiceText.Sentence(step)),
            };
            return await acting.RunAsync(
                session, parsed, remedy, new ServicesView(session, found, wish), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<int> ShowAsync(Session session, IReadOnlyList<Product> products, CancellationToken cancel)
    {
        var control = Product.ControlOf(products[0].Machine);
        var looked = new List<(Product Product, IReadOnlyList<ServiceState> States)>();
        foreach (var one in products.Where(p => p.Profile.Services.Count > 0))
        {
            looked.Add((one, await new ServiceRestorer(control, TimeProvider.System)
                .LookAsync(one.Profile.Services, cancel).ConfigureAwait(false)));
        }

        var bad = looked.Where(l => ServicesView.CodeOf(l.Product, l.States) != ExitCode.Done).ToList();
        var code = bad.Count == 0 ? ExitCode.Done : ExitCode.Problems;
        if (session.IsJson)
        {
            Session.Write(
                new ServicesDocument((int)code, [.. looked.Select(
                    l => new ProductServicesPart(l.Product.Profile.Product, l.Product.Profile.Title,
                    ServicesView.PartsOf(l.Product, l.States)))]),
                Documents.Readable.ServicesDocument);
            return (int)code;
        }

        var states = looked.SelectMany(l => l.Product.Profile.Services.Zip(l.States)).ToList();
        var differ = states.Count(s => !s.Second.IsAsExpected(s.First));
        session.Output.WriteLine(
            looked.Count == 0 ? products.Count == 1 ? $"{products[0].Profile.Title} has no services.{Needed(products[0])}"
                : "No product has services."
            : differ > 0 ? $"{Units.Of(differ, states.Count, "service")} {(differ == 1 ? "differs" : "differ")} from the profile."
            : $"{Units.Count(states.Count, "service")} ok.");
        if (session.IsQuiet)
            return (int)code;
        foreach (var (one, its) in looked)
            new ServiceText(session.Output).Write(one.Profile.Services, its);
        if (bad.Count > 0 && control.CanChange)
            session.Next($"{Shell.Sudo}mukta services restore {bad[0].Product.Arguments}");
        return (int)code;
    }

    private static string Needed(Product product)
    {
        var needs = product.Profile.Needs.Where(
            n => product.Catalog.Profiles.Any(p => p.Profile.Product == n && p.Profile.Services.Count > 0)).ToList();
        return needs.Count == 0 ? "" : $"\nNext: mukta services {needs[0]}{product.Options}";
    }
}
