using System.CommandLine;
using Mukta.Cases;
using Mukta.Setup;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta case open</c></summary>
internal static class CaseOpenCommand
{
    private const string Examples = """
          mukta case open gannet-post --code PH-0142
          mukta case open gannet-post --symptom "it does not start" --offline
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var code = new Option<string?>("--code") { Description = "The error code that the product shows.", HelpName = "CODE" };
        var symptom = new Option<string?>("--symptom") { Description = "What the customer says.", HelpName = "TEXT" };
        var reference = new Option<string?>("--reference") { Description = "Your desk's own number for it.", HelpName = "TICKET" };
        var loss = new Option<bool>("--any-order") { Description = "Let what may lose settings or user data come earlier." };
        var offline = new Option<bool>("--offline") { Description = "Skip the network and the vendor's outage page." };
        var command = new ExampleCommand("open", "Check a product and propose what to try, in the best order.", Examples)
        {
            product, code, symptom, reference, loss, offline,
        };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            if (found.Profile.Ladder.Count == 0)
            {
                throw new MuktaException(
                    ExitCode.BadInput, $"The profile of {found.Profile.Title} has no ladder, so there is nothing to propose.",
                    found.Loaded.File, $"Check the product with: mukta check {found.Arguments}");
            }

            var install = await choice.InstallIfAnyAsync(parsed, found, session, cancel).ConfigureAwait(false);
            var match = CodeMatch.Of(found.Profile, parsed.GetValue(code), parsed.GetValue(symptom), CaseLook.Logs(found, install));
            var seen = await CaseLook.SeenAsync(session, found, install, parsed.GetValue(offline), cancel).ConfigureAwait(false);
            using var book = CaseBook.Open(found.Machine, TimeProvider.System, SetupRunner.Boot);
            var ladder = new CaseLadder(
                new ChanceModel(book.Outcomes(), TimeProvider.System.GetUtcNow()), seen.Of,
                seen.Measured with { Took = book.Took(found.Profile.Product) });
            var opened = book.Add(new CaseRecord(
                found.Profile.Product, install is null ? null : found.Machine.NameOf(install), match.Code?.Code ?? "",
                match.Code?.Means ?? parsed.GetValue(symptom) ?? "no code fits",
                ladder.For(found.Profile, match.Code, !parsed.GetValue(loss)))
            {
                Symptom = parsed.GetValue(symptom),
                Reference = parsed.GetValue(reference),
                Snapshot = seen.Snapshot,
            });
            return CaseCommand.Show(
                new WorkedCase(session, book, opened, install is null ? found : ProductChoice.WithInstall(found, install)), why: false,
                withEvents: false);
        });
        return command;
    }
}
