using System.CommandLine;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests.Formats;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest convert</c></summary>
internal static class ManifestConvertCommand
{
    private const string Examples = """
          mukta manifest convert gannet-post.meta4 SHA256SUMS --format gnu
          mukta manifest convert SHA256SUMS gannet-post.meta4
        """;

    public static Command Build()
    {
        var input = new Argument<string>("IN")
        {
            Description = "A manifest: Metalink, a checksum list, a bag or a folder of lists, or - for standard input.",
        };
        var output = new Argument<string>("OUT") { Description = "The file to write (for a bag its folder), or - for standard output." };
        var (format, yes) = (FormatOption.Make(), CommonOptions.Yes());
        var command = new ExampleCommand(
            "convert", "Write a manifest in another format, and say what that format cannot say.", Examples)
        {
            input, output, format, yes,
        };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var (from, to, into) = (parsed.GetRequiredValue(input), parsed.GetRequiredValue(output), FormatOption.Of(parsed, format));
            StandardInput.RefuseWithJson(session, to);
            var manifest = ManifestReader.ReadFile(StandardInput.FileOf(from));
            var lost = ManifestFormats.Lost(manifest, into);
            if (to == StandardInput.Word)
            {
                using var stream = Console.OpenStandardOutput();
                ManifestWriter.Write(manifest, stream, into);
                SayLost(session, into, lost);
                return (int)ExitCode.Done;
            }

            if ((File.Exists(to) || Bag.IsAt(to)) && !parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Replace {PathBytes.Shown(to)}?", cancel).ConfigureAwait(false))
                return (int)ExitCode.Problems;
            ManifestWriter.WriteFile(manifest, to, into);
            if (session.IsJson)
            {
                Session.Write(
                    new ManifestConvertDocument(
                        "mukta.manifest.convert/1", PathBytes.Shown(to), JsonNames.OfName(manifest.Format.ToString()),
                        JsonNames.OfName(into.ToString()), ReleasePart.Of(manifest), lost),
                    Documents.Readable.ManifestConvertDocument);
                return (int)ExitCode.Done;
            }

            session.Output.WriteLine(
                $"{PathBytes.Shown(to)}: {into.Title()} of {VerifyText.Title(manifest)}, {Units.Count(manifest.Files.Count, "file")}");
            SayLost(session, into, lost);
            if (!session.IsQuiet)
                session.Next($"mukta verify DIR --manifest {Shell.Quoted(to)}");
            return (int)ExitCode.Done;
        });
        return command;
    }

    private static void SayLost(Session session, ManifestFormat into, IReadOnlyList<string> lost)
    {
        if (lost.Count > 0 && !session.IsQuiet)
            session.Say($"Left out, since {into.Title()} cannot say it: {string.Join(", ", lost)}.");
    }
}
