using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Reinstall;
using Mukta.Remedies;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta reinstall</c></summary>
internal static class ReinstallCommand
{
    private const string Examples = """
          mukta reinstall tidewarden --dry-run
          mukta reinstall pierhead --from /media/stick/pierhead
        """;

    private static readonly Dictionary<string, ReinstallScope> Scopes = new()
    {
        ["alone"] = ReinstallScope.Alone,
        ["with-needs"] = ReinstallScope.WithNeeds,
        ["with-games"] = ReinstallScope.WithGames,
    };

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice { MayBeNew = true });
        var (source, acting) = (new SourceOptions(), new ActingOptions(mayStop: true));
        var manifest = new Option<string?>("--manifest")
        {
            Description = "Use this manifest instead of the profile's.",
            HelpName = "FILE",
        };
        var release = new Option<string?>("--release")
        {
            Description = "Go to this release, also back to an older one.",
            HelpName = "VERSION",
        };
        var scope = new Option<string>("--scope")
        {
            Description = "alone (only this), with-needs (also what it needs) or with-games (also games that need it). Default: alone.",
            HelpName = "SCOPE",
            DefaultValueFactory = _ => "alone",
        };
        scope.AcceptOnlyFromAmong([.. Scopes.Keys]);
        var all = new Option<bool>("--all-installs") { Description = "Reinstall every install of the product." };
        var fresh = new Option<bool>("--fresh") { Description = "Download everything; reuse nothing from the old install." };
        var noUserData = new Option<bool>("--no-user-data")
        {
            Description = "Set the user's data aside and leave it there. Asks for the product's id.",
        };
        var keep = new Option<string[]>("--keep")
        {
            Description = "Also restore matching files that are not in the manifest, such as 'mods/**'.",
            HelpName = "GLOB",
        };
        var confirm = new Option<string?>("--confirm")
        {
            Description = "The product's id, for --no-user-data when there is no terminal.",
            HelpName = "PRODUCT",
        };
        var command = new ExampleCommand(
            "reinstall",
            "Replace an install with a clean copy. Reuses the good parts; the copy is verified before the two are swapped.", Examples)
        {
            product, scope, all, fresh, keep, noUserData, confirm, manifest, release,
        };
        command.Validators.Add(result =>
        {
            if (result.GetValue(noUserData) && result.GetValue(keep) is { Length: > 0 })
                result.AddError("--keep restores files and --no-user-data restores none. Leave one of them out.");
        });
        acting.AddTo(command);
        source.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var named = parsed.GetValue(manifest) is { } file ? found.Loaded.Named(StandardInput.FileOf(file))
                : source.BundledManifest(parsed, session, found)
                ?? (parsed.GetValue(release) is { } version ? found.Loaded.ManifestOf(version) : null);
            TargetOptions.RefuseOther(named, parsed.GetValue(release));
            var tools = Product.ToolsOf(found.Machine, session, parsed);
            var request = source.RequestOf(parsed, found, tools.Log) with
            {
                Scope = Scopes[parsed.GetRequiredValue(scope)],
                Wish = new ReinstallWish(parsed.GetValue(fresh), parsed.GetValue(noUserData)) { Keep = parsed.GetValue(keep) ?? [] },
                Release = parsed.GetValue(release),
                IsOfAllInstalls = parsed.GetValue(all),
                NamedInstall = choice.Named(parsed) ?? choice.NewPlace(parsed),
                NewPlace = choice.NewPlace(parsed),
            };
            IReadOnlyList<string> installs = [];
            if (parsed.GetValue(all))
                installs = new ReinstallChoice(found.Machine, found.Catalog).Installs(found.Loaded);
            else if (ReinstallRemedy.FindBegun(found.Machine, request.Command, found.Profile.Product) is null
                && await choice.InstallIfAnyAsync(parsed, found, session, cancel, named).ConfigureAwait(false) is { } one)
                installs = [one];
            using var remedy = new ReinstallRemedy(found.Target(installs, named), request, tools);
            var view = new ReinstallView(session, found, parsed.GetValue(confirm));
            return await acting.RunAsync(
                session, parsed, remedy, view, cancel).ConfigureAwait(false);
        });
        return command;
    }
}
