using System.CommandLine;
using Mukta.Cli.Demo;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta demo</c></summary>
internal static class DemoCommand
{
    private const string Examples = """
          mukta demo
          mukta demo --keep /tmp/saltlight
        """;

    public static Command Build()
    {
        var keep = new Option<string?>("--keep") { Description = "Do it in this new folder and leave all of it there.", HelpName = "DIR" };
        var yes = new Option<bool>("--yes") { Description = "Do not ask; on a terminal the repair asks otherwise." };
        var command = new ExampleCommand(
            "demo", "Show the whole tool on invented data, with a stand-in for the vendor's mirror. Takes seconds.", Examples)
        {
            keep,
            yes,
        };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            using var stage = DemoStage.Open(parsed.GetValue(keep));
            var asks = !parsed.GetValue(yes) && !Console.IsInputRedirected && !Console.IsErrorRedirected && !Console.IsOutputRedirected;
            return await new DemoPlay(session.Output, stage, asks).RunAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }
}
