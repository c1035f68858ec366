using System.CommandLine;
using Mukta.StandIns;

var root = new RootCommand("Stand-ins for what is outside: the vendor's mirror and its made-up products. For the demo and the tests.")
{
    MirrorCommand.Build(), ScenarioCommand.Build(), BreakCommand.Build(),
};
return await root.Parse(args).InvokeAsync().ConfigureAwait(false);
