using System.CommandLine;
using System.Diagnostics;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host.Checks;
using Mukta.Products;
using Mukta.State;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta check</c></summary>
internal static class CheckCommand
{
    private const string Examples = """
          mukta check gannet-post
          mukta check gannet-post --offline --json | jq '.products[].areas[] | select(.verdict == "bad")'
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var offline = new Option<bool>("--offline") { Description = "Leave out the network and the vendor's outage page." };
        var alone = new Option<bool>("--alone") { Description = "Leave out the products that this one needs." };
        var command = new ExampleCommand(
            "check",
            "Look at everything around a product's files: processes, services, caches, launch entries, runtime, space, access, network, "
            + "outages. Changes nothing.", Examples)
        {
            product, offline, alone,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var named = choice.Named(parsed);
            return (int)await RunAsync(
                session, found, named, parsed.GetValue(offline), parsed.GetValue(alone), cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<ExitCode> RunAsync(
        Session session, Product product, string? install, bool isOffline, bool isAlone, CancellationToken cancel)
    {
        var clock = Stopwatch.StartNew();
        IReadOnlyList<LoadedProfile> products = isAlone ? [product.Loaded] : product.Catalog.WithNeeds(product.Loaded);
        var around = new CheckSurroundings(
            product.Machine, Product.ControlOf(product.Machine), Environment.GetEnvironmentVariable, Session.UserAgent, TimeProvider.System,
            id => InstallRecords.PathsOf(product.Machine, id));
        var checks = await new Checkup(around, isOffline).OfAsync(products, install, cancel).ConfigureAwait(false);

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

        var text = new CheckText(session.Output, Command);
        if (!session.IsQuiet)
            text.Write(checks);
        text.Sum(checks);
        if (next is not null && !session.IsQuiet)
            session.Output.MarkupLineInterpolated($"Next: [bold]{next}[/]");
        return code;
    }

    /// <summary>The first command in the technician's order: area by area, of what is bad, or else of what wants attention.</summary>
    private static string? Next(IReadOnlyList<ProductCheck> checks, Func<ProductCheck, CheckFinding, string?> command) => checks
        .SelectMany(c => c.Areas.SelectMany(a => a.Findings.Select(f => (Verdict: f.Verdict, a.Area, Command: command(c, f)))))
        .Where(f => f.Command is not null && f.Verdict is Verdict.Bad or Verdict.Attention)
        // Files come after all that is cheaper.
        .OrderByDescending(f => f.Verdict).ThenBy(f => f.Area == Area.Install ? (int)Area.Outages + 1 : (int)f.Area)
        .Select(f => f.Command).FirstOrDefault();
}
