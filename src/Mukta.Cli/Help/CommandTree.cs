using System.CommandLine;
using System.CommandLine.Help;
using Mukta.Cli.Commands;

namespace Mukta.Cli.Help;

/// <summary>All commands, in the groups in which they are shown.</summary>
internal static class CommandTree
{
    private static readonly IReadOnlyList<(string Group, IReadOnlyList<Func<Command>> Commands)> Groups =
    [
        ("Look",
            [CheckCommand.Build, VerifyCommand.Build, InstallsCommand.Build, ServicesCommand.Build, CachesCommand.Build,
            ShortcutsCommand.Build, TryCommand.Build]),
        ("Put right",
            [RepairCommand.Build, StopCommand.Build, SetupCommand.Build, ResetCommand.Build, ReinstallCommand.Build, RemoveCommand.Build,
            MoveCommand.Build]),
        ("Go back", [UndoCommand.Build, OperationsCommand.Build]),
        ("Complaints", [CaseCommand.Build, OutcomesCommand.Build, ReportCommand.Build]),
        ("Prepare",
            [ManifestCommand.Build, BundleCommand.Build, ProfileCommand.Build, DemoCommand.Build,
            CompletionCommand.Build, HelpCommand.Build]),
    ];

    /// <summary>The program with its commands and common options, and help of our own.</summary>
    public static RootCommand Build()
    {
        var root = new RootCommand("Verify game and launcher installs against published manifests, and repair what is wrong.");
        var groups = new List<(string, IReadOnlyList<Command>)>();
        foreach (var (group, builders) in Groups)
        {
            List<Command> commands = [.. builders.Select(b => b())];
            commands.ForEach(root.Add);
            groups.Add((group, commands));
        }

        foreach (var option in CommonOptions.All)
            root.Options.Add(option);
        root.Options.Remove(root.Options.OfType<HelpOption>().Single());
        root.Options.Add(new HelpOption("--help", "-h") { Description = "Show this help.", Action = new HelpAction(groups) });
        root.Options.OfType<VersionOption>().Single().Description = "Show the version.";
        return root;
    }
}
