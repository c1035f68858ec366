using System.CommandLine;
using Mukta.Cli.Help;
using Mukta.Cli.Json;
using Mukta.Products;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta help</c></summary>
internal static class HelpCommand
{
    private const string Examples = """
          mukta help repair
          mukta help caches clear
        """;

    public static Command Build()
    {
        var words = new Argument<string[]>("WORD") { Description = "A command and its words.", Arity = ArgumentArity.ZeroOrMore };
        var pages = new Option<string?>("--man-pages")
        {
            Description = "Write a man page of each command to this folder.",
            HelpName = "DIR",
        };
        var schemas = new Option<string?>("--json-schemas")
        {
            Description = "Write the JSON Schema of each document that --json prints to this folder.",
            HelpName = "DIR",
        };
        var command = new ExampleCommand("help", "Show help for a command.", Examples) { words, pages, schemas };
        command.SetAction(parsed =>
        {
            var root = (RootCommand)parsed.RootCommandResult.Command;
            if (parsed.GetValue(pages) is { } folder)
                ManPages.Write(root, folder);
            if (parsed.GetValue(schemas) is { } place)
                Schemas.Write(place);
            if ((parsed.GetValue(pages) ?? parsed.GetValue(schemas)) is not null)
                return (int)ExitCode.Done;

            Command found = root;
            foreach (var word in parsed.GetValue(words) ?? [])
            {
                found = found.Subcommands.FirstOrDefault(c => c.Name == word) ?? throw new MuktaException(
                    ExitCode.BadInput,
                    $"There is no command \"{word}\"{Nearest.HintOrEnd(word, found.Subcommands.Select(c => c.Name))}",
                    Shell.Typed(parsed), "mukta --help lists all commands.");
            }

            return root.Parse([.. parsed.GetValue(words) ?? [], "--help"]).Invoke(parsed.InvocationConfiguration);
        });
        return command;
    }
}
