using System.CommandLine;
using Mukta.Cli.Help;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Caches;
using Mukta.Host.Checks;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta caches</c> and <c>mukta caches clear</c></summary>
internal static class CachesCommand
{
    private const string Examples = """
          mukta caches pierhead
          mukta caches clear pierhead pages
        """;

    private const string ClearExamples = """
          mukta caches clear pierhead
          mukta caches clear gannet-post temporary --dry-run
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.OptionalArgument(), new ProductChoice());
        var command = new ExampleCommand("caches", "Show cache folders and temporary files, or clear them.", Examples)
        {
            product,
            BuildClear(),
        };
        choice.AddTo(command);
        command.SetAction((parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var products = choice.Products(parsed, parsed.GetValue(product));
            return Task.FromResult(Show(session, [.. products.Select(
                p => (p, new CacheLook(p.Machine).At(p.Profile, choice.FirstInstall(parsed, p), cancel)))]));
        });
        return command;
    }

    private static ExampleCommand BuildClear()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var names = new Argument<string[]>("NAME")
        {
            Description = "Caches, as mukta caches shows them, or \"temporary\". Default: all that cost the player nothing.",
            Arity = ArgumentArity.ZeroOrMore,
        }.WithCaches();
        var permanently = new Option<bool>("--permanently") { Description = "Delete instead of keeping. This cannot be undone." };
        var command = new ExampleCommand("clear", "Clear cache folders and temporary files.", ClearExamples)
        {
            product,
            names,
            permanently,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallIfAnyAsync(parsed, found, session, cancel).ConfigureAwait(false);
            var tools = Product.ToolsOf(found.Machine, session, parsed);
            var remedy = new ClearCachesRemedy(found.Target(install is null ? [] : [install]), parsed.GetValue(names) ?? [], tools)
            {
                IsPermanent = parsed.GetValue(permanently),
            };
            return await acting.RunAsync(
                session, parsed, remedy, new CachesView(session, found, remedy.IsPermanent), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static int Show(Session session, IReadOnlyList<(Product Product, IReadOnlyList<CacheFolder> Caches)> looked)
    {
        var all = looked.SelectMany(l => l.Caches).ToList();
        var code = CacheFindings.Of(all).Any(f => f.Verdict == Verdict.Bad) ? ExitCode.Problems : ExitCode.Done;
        if (session.IsJson)
        {
            Session.Write(
                new CachesDocument((int)code, [.. looked.Select(
                    l => new ProductCachesPart(l.Product.Profile.Product, l.Product.Profile.Title, [.. l.Caches.Select(CachePart.Of)]))]),
                Documents.Readable.CachesDocument);
            return (int)code;
        }

        var text = new CacheText(session.Output);
        text.Sum(all);
        if (session.IsQuiet)
            return (int)code;
        foreach (var (product, caches) in looked.Where(l => l.Caches.Count > 0))
            text.Write(caches, product.Arguments);
        if (looked.FirstOrDefault(l => l.Caches.Any(c => c.IsClearedUnnamed)).Product is { } first)
            session.Next($"mukta caches clear {first.Arguments}");
        return (int)code;
    }
}
