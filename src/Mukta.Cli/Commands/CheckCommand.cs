using System.CommandLine;
using System.Diagnostics;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Checks;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta check</c></summary>
internal static class CheckCommand
{
    private const string Examples = """
          mukta check gannet-post
          mukta check gannet-post --offline --json
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var all = new Option<bool>("--all") { Description = "Also list the areas that are ok or skipped." };
        var offline = new Option<bool>("--offline") { Description = "Skip the network and the vendor's outage page." };
        var alone = new Option<bool>("--alone") { Description = "Skip the products that this one needs." };
        var command = new ExampleCommand(
            "check",
            "Check everything around a product. Install, processes, services, caches, network and more.", Examples)
        {
            product, all, offline, alone,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var wish = (parsed.GetValue(offline), parsed.GetValue(alone), parsed.GetValue(all));
            return (int)await RunAsync(session, found, choice.Named(parsed), wish, cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<ExitCode> RunAsync(
        Session session, Product product, string? install, (bool Offline, bool Alone, bool All) wish, CancellationToken cancel)
    {
        var clock = Stopwatch.StartNew();
        IReadOnlyList<LoadedProfile> products = wish.Alone ? [product.Loaded] : product.Catalog.WithNeeds(product.Loaded);
        var checks = await new Checkup(product.Around(wish.Alone), wish.Offline).OfAsync(products, install, cancel).ConfigureAwait(false);

        string? Command(ProductCheck check, CheckFinding finding) =>
            RemedyWords.Command(
            finding, check == checks[0] ? product.Arguments : check.Loaded.Profile.Product + product.OptionsForOthers, product.Arguments);
        var code = checks.Any(c => c.Verdict == Verdict.Bad) ? ExitCode.Problems : ExitCode.Done;
        var next = Next(checks, Command);
        if (session.IsJson)
        {
            Session.Write(
                new CheckDocument(
                    "mukta.check/1", product.Profile.Product, JsonNames.OfJson(CheckText.Name(checks.Max(c => c.Verdict))), (int)code,
                    clock.ElapsedMilliseconds, [.. checks.Select(c => CheckedPart.Of(c, Command))])
                {
                    Next = next,
                },
                Documents.Readable.CheckDocument);
            return code;
        }

        var text = new CheckText(session.Output, Command, wish.All);
        text.Sum(checks);
        if (session.IsQuiet)
            return code;
        text.Write(checks);
        if (next is not null)
            session.Next(next);
        return code;
    }

    /// <summary>The first command in the technician's order: area by area, of what is bad, or else of what wants attention.</summary>
    private static string? Next(IReadOnlyList<ProductCheck> checks, Func<ProductCheck, CheckFinding, string?> command) => checks
        .SelectMany(c => c.Areas.SelectMany(a => a.Findings.Select(f => (Verdict: f.Verdict, a.Area, Command: command(c, f)))))
        .Where(f => f.Command is not null && f.Verdict is Verdict.Bad or Verdict.Warning)
        // Files come after all that is cheaper.
        .OrderByDescending(f => f.Verdict).ThenBy(f => f.Area == Area.Install ? (int)Area.Outages + 1 : (int)f.Area)
        .Select(f => f.Command).FirstOrDefault();
}
