using System.CommandLine;
using Mukta.StandIns;

var root = new RootCommand(
    "Stand-ins for what is outside: the vendor's mirror, its made-up products, and the service control. For the demo and the tests.")
{
    MirrorCommand.Build(), ProxyCommand.Build(), ScenarioCommand.Build(), BreakCommand.Build(), PressCommand.Build(),
    ServiceControlCommand.Build(), OutageCommand.Build(), VendorSetupCommand.Build(),
};
return await root.Parse(args).InvokeAsync().ConfigureAwait(false);
