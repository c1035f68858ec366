using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Host.Shortcuts;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta shortcuts</c> and <c>mukta shortcuts restore</c></summary>
internal static class ShortcutsCommand
{
    private const string Examples = """
          mukta shortcuts gannet-post
          mukta shortcuts restore gannet-post --dry-run
        """;

    private const string RestoreExamples = """
          mukta shortcuts restore gannet-post
          mukta shortcuts restore gannet-post --dry-run
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.OptionalArgument(), new ProductChoice());
        var command = new ExampleCommand("shortcuts", "Show desktop entries, or restore them.", Examples)
        {
            product,
            BuildRestore(),
        };
        choice.AddTo(command);
        command.SetAction((parsed, _) =>
        {
            using var session = new Session(parsed);
            return Task.FromResult(Show(session, [.. choice.Products(parsed, parsed.GetValue(product))
                .Select(p => (p, choice.FirstInstall(parsed, p)))], isForOne: parsed.GetValue(product) is not null));
        });
        return command;
    }

    private static ExampleCommand BuildRestore()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var command = new ExampleCommand(
            "restore", "Write what the profile asks for into the desktop entries, and keep what the user added.", RestoreExamples)
        {
            product,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = Path.GetFullPath(await choice.InstallAsync(parsed, found, session, cancel).ConfigureAwait(false));
            var remedy = new RestoreShortcutsRemedy(found.Target([install]), Product.ToolsOf(found.Machine, session, parsed));
            return await acting.RunAsync(
                session, parsed, remedy, new ShortcutsView(session, found, install), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static int Show(Session session, IReadOnlyList<(Product Product, string? Install)> products, bool isForOne)
    {
        if (isForOne && products[0].Install is null)
            throw ProductChoice.NoInstall(products[0].Product);
        var looked = products.Where(p => p.Install is not null)
            .Select(p => (p.Product, Install: Path.GetFullPath(p.Install!)))
            .Select(p => (p.Product, p.Install, Shortcuts: new ShortcutLook(p.Product.Machine).At(p.Product.Profile, p.Install))).ToList();
        var all = looked.SelectMany(l => l.Shortcuts).ToList();
        var differ = all.Count(s => ShortcutFindings.Of([s]).Any());
        var code = differ == 0 ? ExitCode.Done : ExitCode.Problems;
        if (session.IsJson)
        {
            Session.Write(
                new ShortcutsDocument((int)code, [.. looked.Select(
                    l => new ProductShortcutsPart(l.Product.Profile.Product, l.Product.Profile.Title, PathBytes.Shown(l.Install),
                    [.. l.Shortcuts.Select(s => ShortcutPart.Of(s, l.Product.Profile.Title))]))]),
                Documents.Readable.ShortcutsDocument);
            return (int)code;
        }

        session.Output.WriteLine(
            all.Count == 0 ? "No shortcuts found."
            : differ > 0 ? $"{Units.Of(differ, all.Count, "shortcut")} {(differ == 1 ? "differs" : "differ")} from the profile."
            : $"{Units.Count(all.Count, "shortcut")} ok.");
        if (session.IsQuiet)
            return (int)code;
        foreach (var (product, install, shortcuts) in looked)
            new ShortcutsView(session, product, install).Show(shortcuts);
        if (looked.Find(l => ShortcutFindings.Of(l.Shortcuts).Any()).Product is { } first)
            session.Next($"mukta shortcuts restore {first.Arguments}");
        return (int)code;
    }
}
