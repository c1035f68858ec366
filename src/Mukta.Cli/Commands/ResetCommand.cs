using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Remedies;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta reset</c></summary>
internal static class ResetCommand
{
    private const string Examples = """
          mukta reset gannet-post --dry-run
          mukta reset gannet-post
        """;

    public static Command Build()
    {
        var (product, choice, acting) = (ProductChoice.Argument(), new ProductChoice(), new ActingOptions());
        var command = new ExampleCommand(
            "reset", "Set a product's settings aside so that it starts as new. User data stays.", Examples)
        {
            product,
        };
        acting.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallIfAnyAsync(parsed, found, session, cancel).ConfigureAwait(false);
            var remedy = new ResetRemedy(found.Target(install is null ? [] : [install]), Product.ToolsOf(found.Machine, session, parsed));
            var title = found.Profile.Title;
            var view = new StepsView(session, found, remedy.Name)
            {
                Asked = plan =>
                    $"Set the settings of {title} aside ({Units.Bytes(plan.BytesKept)} in {Units.Count(plan.FilesKept, "file")})?",
                Verdict = plan => $"{title} starts as new: {Units.Bytes(plan.BytesKept)} of settings set aside.",
                Nothing = found.Profile.Settings.Count == 0 ? $"The profile of {title} names no settings."
                : $"{title} has no settings to set aside.",
            };
            return await acting.RunAsync(
                session, parsed, remedy, view, cancel).ConfigureAwait(false);
        });
        return command;
    }
}
