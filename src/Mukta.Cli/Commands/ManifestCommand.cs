using System.CommandLine;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest</c></summary>
internal static class ManifestCommand
{
    public static Command Build() => new("manifest", "Make, sign, convert, show or compare manifests; show a product's releases.")
    {
        ManifestMakeCommand.Build(),
        ManifestSignCommand.Build(),
        ManifestConvertCommand.Build(),
        ManifestShowCommand.Build(),
        ManifestCompareCommand.Build(),
        ManifestReleasesCommand.Build(),
    };
}
