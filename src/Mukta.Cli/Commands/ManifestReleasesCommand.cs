using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Manifests.Signatures;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest releases</c></summary>
internal static class ManifestReleasesCommand
{
    private const string Examples = """
          mukta manifest releases gannet-post
          mukta manifest releases gannet-post --offline --json
        """;

    public static Command Build()
    {
        var (product, choice) = (ProductChoice.Argument(), new ProductChoice { IsForOneInstall = false });
        var offline = new Option<bool>("--offline") { Description = "Use the index that was kept; ask nobody for it." };
        var command = new ExampleCommand(
            "releases", "Show the releases that a product's index lists, newest first.", Examples)
        {
            product, offline,
        };
        choice.AddTo(command);
        command.SetAction(parsed =>
        {
            using var session = new Session(parsed);
            var found = choice.Product(parsed, parsed.GetRequiredValue(product));
            if (found.Loaded is not { IndexPlace: { } place, Published: { } published })
            {
                throw new MuktaException(
                    ExitCode.BadInput, "The profile names no index of releases.", found.Loaded.File,
                    "Add its address to the profile (manifest, index); docs/formats.md says what it looks like.");
            }

            var (index, signer) = published.Index(place, found.Loaded.Trust, found.Profile.Product);
            if (session.IsJson)
                Session.Write(ReleasesDocument.Of(index, signer, place), Documents.Readable.ReleasesDocument);
            else
                Write(session, found, index, signer, place);
            return (int)ExitCode.Done;
        });
        return command;
    }

    private static void Write(Session session, Product product, ReleaseIndex index, Signer? signer, IndexPlace place)
    {
        var current = index.Newest(place.Channel);
        var verdict = current is null ? $"no release of the channel {place.Channel}" : $"{PathBytes.Shown(current.Release)} is current";
        session.Output.WriteLine($"{product.Profile.Title}: {verdict}, {Units.Count(index.Releases.Count, "release")} listed");
        if (session.IsQuiet)
            return;
        if (signer is not null)
            session.Output.WriteLine($"  signed by {PathBytes.Shown(signer.Name)}");
        var width = index.Releases.Max(r => PathBytes.Shown(r.Release).Length);
        foreach (var release in index.Releases)
        {
            var name = PathBytes.Shown(release.Release).PadRight(width);
            var mark = release == current ? " current" : "";
            session.Output.WriteLine($"  {name}  release {release.Sequence,-6} {PathBytes.Shown(release.Channel),-10}{mark}".TrimEnd());
        }

        if (current is not null)
            session.Next($"mukta verify {product.Arguments}");
    }
}
