using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Caches;
using Mukta.Remedies;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta caches</c></summary>
internal static class CachesCommand
{
    private const string Examples = """
          mukta caches pierhead
          mukta caches pierhead --clear pages
        """;

    public static Command Build()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var clear = new Option<string[]>("--clear")
        {
            Description =
                "Clear the cache of this name, or all whose clearing costs nothing; \"temporary\" for temporary and partly downloaded "
                + "files.",
            HelpName = "NAME",
            Arity = ArgumentArity.ZeroOrMore,
            AllowMultipleArgumentsPerToken = true,
        };
        var forGood = new Option<bool>("--for-good") { Description = "With --clear: delete instead of keeping. There is no way back." };
        var command = new ExampleCommand("caches", "Show a product's cache folders and temporary files; clear them.", Examples)
        {
            product,
            clear,
            forGood,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.Validators.Add(result =>
        {
            if (result.GetValue(forGood) && result.GetResult(clear) is null)
                result.AddError("--for-good goes with --clear.");
        });
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallIfAnyAsync(parsed, found, session, cancel).ConfigureAwait(false);
            if (parsed.GetResult(clear) is null)
                return Show(session, found, new CacheLook(found.Machine).At(found.Profile, install, cancel));
            var tools = Product.ToolsOf(found.Machine, session, parsed);
            var remedy = new ClearCachesRemedy(found.Target(install is null ? [] : [install]), parsed.GetValue(clear) ?? [], tools)
            {
                IsPermanent = parsed.GetValue(forGood),
            };
            return await acting.RunAsync(
                session, parsed, remedy, new CachesView(session, found, remedy.IsPermanent), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static int Show(Session session, Product product, IReadOnlyList<CacheFolder> caches)
    {
        var code = CacheFindings.Of(caches).Any(f => f.Verdict == Host.Checks.Verdict.Bad) ? ExitCode.Problems : ExitCode.Done;
        if (session.IsJson)
        {
            Session.Write(new CachesDocument(
                "mukta.caches/1", product.Profile.Product, false, (int)code, [.. caches.Select(CachePart.Of)]),
                Documents.Readable.CachesDocument);
            return (int)code;
        }

        new CacheText(session.Output).Write(caches);
        if (caches.Count == 0)
            session.Output.WriteLine("There is no cache folder of it, and nothing temporary.");
        else if (caches.Any(c => c.IsClearedUnnamed))
            session.Output.WriteLine($"Next: mukta caches {product.Arguments} --clear");
        return (int)code;
    }
}
