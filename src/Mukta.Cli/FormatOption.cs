using System.CommandLine;
using Mukta.Manifests.Formats;

namespace Mukta.Cli;

/// <summary>The option that says in which format a manifest is written.</summary>
internal static class FormatOption
{
    private static readonly Dictionary<string, ManifestFormat> Formats = new()
    {
        ["metalink"] = ManifestFormat.Metalink,
        ["gnu"] = ManifestFormat.Gnu,
        ["bsd"] = ManifestFormat.Bsd,
        ["bagit"] = ManifestFormat.Bagit,
    };

    public static Option<string> Make()
    {
        var option = new Option<string>("--format")
        {
            Description = "metalink, gnu or bsd (checksum lists) or bagit (a folder). Default: metalink.",
            HelpName = "FORMAT",
            DefaultValueFactory = _ => "metalink",
        };
        option.AcceptOnlyFromAmong([.. Formats.Keys]);
        return option;
    }

    public static ManifestFormat Of(ParseResult parsed, Option<string> option) => Formats[parsed.GetRequiredValue(option)];
}
