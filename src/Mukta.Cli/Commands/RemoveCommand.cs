using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Reinstall;
using Mukta.Remedies;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta remove</c></summary>
internal static class RemoveCommand
{
    private const string Examples = """
          mukta remove gannet-post --dry-run
          mukta remove pierhead --all-installs
        """;

    public static Command Build()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var all = new Option<bool>("--all-installs") { Description = "Remove every install of the product." };
        var withUserData = new Option<bool>("--with-user-data")
        {
            Description = "Also set the user's own data aside. Asks for the product's id.",
        };
        var confirm = new Option<string?>("--confirm")
        {
            Description = "The product's id, for --with-user-data when there is no terminal.",
            HelpName = "PRODUCT",
        };
        var command = new ExampleCommand(
            "remove",
            "Uninstall a product with its leftovers. User data and a launcher's games stay; what is removed is kept.", Examples)
        {
            product, all, withUserData, confirm,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var installs = parsed.GetValue(all) ? new ReinstallChoice(found.Machine, found.Catalog).Installs(found.Loaded)
                : await choice.InstallIfAnyAsync(parsed, found, session, cancel).ConfigureAwait(false) is { } one ? [one] : [];
            var remedy = new RemoveRemedy(found.Target(Going(found, installs)), Product.ToolsOf(found.Machine, session, parsed))
            {
                WithUserData = parsed.GetValue(withUserData),
            };
            var title = found.Profile.Title;
            var view = new StepsView(session, found, remedy.Name)
            {
                Asked = p => $"Remove {title} ({Units.Bytes(p.BytesKept)} in {Units.Count(p.FilesKept, "file")} set aside)?",
                Verdict = p => $"{title} is removed: {Units.Bytes(p.BytesKept)} set aside.",
                Nothing = $"{title} is not installed, and has left nothing behind.",
                Confirmed = remedy.WithUserData
                ? token => IsTypedAsync(session, found.Profile.Product, parsed.GetValue(confirm), token) : null,
            };
            return await acting.RunAsync(
                session, parsed, remedy, view, cancel).ConfigureAwait(false);
        });
        return command;
    }

    /// <summary>The installs that an interrupted run was about, if there is one: they may not be found any more.</summary>
    private static IReadOnlyList<string> Going(Product product, IReadOnlyList<string> installs)
    {
        var interrupted = Operations.Operation.FindInterrupted(product.Machine.Home, "remove", product.Profile.Product);
        return interrupted is not null && RemoveRemedy.InstallsOf(interrupted) is { Count: > 0 } begun ? begun : installs;
    }

    private static async Task<bool> IsTypedAsync(Session session, string product, string? confirmed, CancellationToken cancel) =>
        confirmed is not null ? confirmed == product
        : await Question.IsTypedAsync(
        session, $"This removes the user data listed above. Type {product} to confirm:", product, $"--with-user-data --confirm {product}",
        cancel).ConfigureAwait(false);
}
