using System.CommandLine;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest</c></summary>
internal static class ManifestCommand
{
    public static Command Build() => new("manifest", "Make, show or compare manifests.")
    {
        ManifestMakeCommand.Build(),
        ManifestShowCommand.Build(),
        ManifestCompareCommand.Build(),
    };
}
