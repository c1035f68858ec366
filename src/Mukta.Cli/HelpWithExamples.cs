using System.CommandLine;
using System.CommandLine.Help;
using System.CommandLine.Invocation;

namespace Mukta.Cli;

/// <summary>A command whose help ends with examples that run.</summary>
internal sealed class ExampleCommand(string name, string description, string examples) : Command(name, description)
{
    public string Examples { get; } = examples;
}

/// <summary>The usual help, followed by the command's examples and, for the program itself, the exit codes.</summary>
internal sealed class HelpWithExamples(HelpAction usual) : SynchronousCommandLineAction
{
    private const string ForTheProgram = """
        Examples:
          mukta demo
          mukta verify games/gannet-post --manifest gannet-post.meta4
          mukta repair games/gannet-post --manifest gannet-post.meta4 --from https://mirror.example/gannet-post

        Exit codes:
          0 healthy, or done     1 problems found, or left     2 bad usage or input
          3 blocked              4 no source could deliver     5 not trusted
          70 a defect in mukta   130 interrupted
        """;

    public static void Attach(RootCommand root)
    {
        var help = root.Options.OfType<HelpOption>().Single();
        help.Action = new HelpWithExamples((HelpAction)help.Action!);
    }

    public override int Invoke(ParseResult parseResult)
    {
        var result = usual.Invoke(parseResult);
        var output = parseResult.InvocationConfiguration.Output;
        if (parseResult.CommandResult.Command is ExampleCommand command)
            output.WriteLine($"Examples:\n{command.Examples}");
        else if (parseResult.CommandResult.Command is RootCommand)
            output.WriteLine(ForTheProgram);
        return result;
    }
}
