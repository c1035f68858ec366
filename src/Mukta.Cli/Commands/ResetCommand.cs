using System.CommandLine;
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
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice());
        var (dryRun, yes) = (CommonOptions.DryRun(), CommonOptions.Yes());
        var command = new ExampleCommand("reset", "Set a product's own settings and local data aside, so that it starts as new. User data stays.", Examples) { product, dryRun, yes };
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            var install = await choice.InstallIfAnyAsync(parsed, found, null, session, cancel).ConfigureAwait(false);
            var remedy = new ResetRemedy(found.Target(install is null ? [] : [install]), ServicesCommand.ControlOf(found.Machine), TimeProvider.System) { Begun = found.Remember };
            var run = new RemedyRun(session, found, remedy)
            {
                Typed = Shell.Typed(parsed),
                IsDryRun = parsed.GetValue(dryRun),
                IsAgreed = parsed.GetValue(yes),
                NothingToDo = found.Profile.Settings.Count == 0 ? $"The profile of {found.Profile.Title} names no settings." : $"{found.Profile.Title} has no settings to set aside.",
                Question = plan => $"Set the settings of {found.Profile.Title} aside ({Units.Bytes(plan.BytesKept)} in {Units.Count(plan.FilesKept, "file")})?",
                DoneText = plan => $"{found.Profile.Title} starts as new: {Units.Bytes(plan.BytesKept)} of settings set aside.",
            };
            return (int)await run.ToEndAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }
}
