using System.CommandLine;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta bundle</c></summary>
internal static class BundleCommand
{
    public static Command Build() => new("bundle", "Make or check a bundle: pieces on a stick, for machines without a network.")
    {
        BundleMakeCommand.Build(),
        BundleShowCommand.Build(),
    };
}
