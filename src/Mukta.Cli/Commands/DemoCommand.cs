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
        var keep = new Option<string?>("--keep") { Description = "Run in this new folder and keep it.", HelpName = "DIR" };
        var noPause = new Option<bool>("--no-pause") { Description = "Do not wait for Enter between the scenes." };
        var yes = new Option<bool>("--yes", "-y") { Description = "Do not ask before something is changed, and do not pause." };
        var command = new ExampleCommand(
            "demo", "Show the whole tool on made-up data.", Examples)
        {
            keep,
            noPause,
            yes,
        };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            using var stage = DemoStage.Open(parsed.GetValue(keep));
            var asks = !parsed.GetValue(yes) && !Console.IsInputRedirected && !Console.IsErrorRedirected && !Console.IsOutputRedirected;
            var pauses = asks && !parsed.GetValue(noPause);
            return await new DemoPlay(session.Output, stage, asks, pauses).RunAsync(cancel).ConfigureAwait(false);
        });
        return command;
    }
}
