using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Products;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta locate</c></summary>
internal static class LocateCommand
{
    private const string Examples = """
          mukta locate
          mukta locate gannet-post --profiles profiles
        """;

    public static Command Build()
    {
        var product = new Argument<string?>("PRODUCT") { Description = "A product's id; all that have a profile where nothing is said.", Arity = ArgumentArity.ZeroOrOne };
        var profiles = CommonOptions.Profiles();
        var command = new ExampleCommand("locate", "Find installs in the places that the profiles name. Changes nothing.", Examples) { product, profiles };
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var shelf = ProfileShelf.Read(parsed.GetValue(profiles), Environment.GetEnvironmentVariable);
            IReadOnlyList<ShelvedProfile> asked = parsed.GetValue(product) is { } id ? [shelf.Of(id)] : [.. shelf.Profiles];
            if (asked.Count == 0)
                throw new MuktaException(ExitCode.BadInput, "There is no profile.", string.Join("\n", shelf.Folders), "Name a folder that holds profiles with --profiles.");
            return (int)Run(session, asked, parsed.GetValue(profiles));
        });
        return command;
    }

    private static ExitCode Run(Session session, IReadOnlyList<ShelvedProfile> asked, string? profiles)
    {
        var finder = new InstallFinder(Machine.Here(Environment.GetEnvironmentVariable).Folders);
        var located = asked.Select(profile => Locate(finder, profile)).ToList();
        if (session.IsJson)
            Session.Write(LocateDocument.Of(located), Documents.Readable.LocateDocument);
        else
            new LocateText(session.Output, profiles).Write(located);
        return located.All(l => l.Installs.Count == 0) ? ExitCode.Problems : ExitCode.Done;
    }

    private static Located Locate(InstallFinder finder, ShelvedProfile profile)
    {
        try
        {
            var manifest = profile.ManifestLocation is { } location && File.Exists(location) ? MetalinkReader.ReadFile(location) : null;
            return new Located(profile, manifest, finder.Find(profile.Profile, manifest));
        }
        catch (ManifestFault fault)
        {
            return new Located(profile, null, finder.Find(profile.Profile, null), fault);
        }
    }
}

/// <summary>A product with the installs that were found.</summary>
internal sealed record Located(ShelvedProfile Shelved, Manifest? Manifest, IReadOnlyList<FoundInstall> Installs, ManifestFault? Fault = null);
