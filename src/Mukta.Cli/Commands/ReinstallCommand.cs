using System.CommandLine;
using Mukta.Reinstall;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta reinstall</c></summary>
internal static class ReinstallCommand
{
    private const string Examples = """
          mukta reinstall tidewarden --dry-run
          mukta reinstall pierhead --from /media/stick/pierhead
        """;

    private static readonly Dictionary<string, ReinstallScope> Scopes = new() { ["alone"] = ReinstallScope.Alone, ["with-needs"] = ReinstallScope.WithNeeds, ["with-games"] = ReinstallScope.WithGames };

    public static Command Build()
    {
        var (product, choice, source) = (ProductChoice.Argument(), new ProductChoice { MayBeNew = true }, new SourceOptions());
        var manifest = new Option<string?>("--manifest") { Description = "The release's manifest, where the profile's own is not meant.", HelpName = "FILE" };
        var scope = new Option<string>("--scope") { Description = "alone: games and everything else stay. with-needs: what the product needs too. with-games: the games that need it too.", HelpName = "SCOPE", DefaultValueFactory = _ => "alone" };
        scope.AcceptOnlyFromAmong([.. Scopes.Keys]);
        var all = new Option<bool>("--all-installs") { Description = "Every install of the product, where there are several." };
        var fresh = new Option<bool>("--fresh") { Description = "Fetch all bytes anew: nothing of the old install is used." };
        var noUserData = new Option<bool>("--no-user-data") { Description = "Hold the user's own data too, and do not bring it back. Asks for the product's id." };
        var confirm = new Option<string?>("--confirm") { Description = "The product's id, for --no-user-data where nobody can be asked.", HelpName = "PRODUCT" };
        var stop = new Option<bool>("--stop") { Description = "End the product's processes first, by request." };
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "reinstall", "Make an install anew, from what is good of the old one. The new one is built and proven first; then they change places, and the old one is held.", Examples)
        {
            product, scope, all, fresh, noUserData, confirm, stop, manifest, dryRun, yes,
        };
        source.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            using var run = new ReinstallRun(session, found, parsed, source)
            {
                Command = "reinstall",
                ManifestFile = parsed.GetValue(manifest),
                Scope = Scopes[parsed.GetRequiredValue(scope)],
                Wish = new ReinstallWish(parsed.GetValue(fresh), parsed.GetValue(noUserData)),
                NamedInstall = choice.Named(parsed) ?? choice.NewPlace(parsed),
                Confirmed = parsed.GetValue(confirm),
                StopsFirst = parsed.GetValue(stop),
                IsDryRun = parsed.GetValue(dryRun),
                IsAgreed = parsed.GetValue(yes),
            };
            var installs = parsed.GetValue(all) ? run.AllInstalls() : run.IsInterrupted ? [] : await choice.InstallIfAnyAsync(parsed, found, run.Manifest, session, cancel).ConfigureAwait(false) is { } one ? [one] : [];
            return (int)await run.ToEndAsync(installs, choice.NewPlace(parsed), parsed.GetValue(all) ? "all-installs" : null, cancel).ConfigureAwait(false);
        });
        return command;
    }
}
