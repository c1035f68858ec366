using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Manifests;
using Mukta.Manifests.Formats;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta manifest make</c></summary>
internal static class ManifestMakeCommand
{
    private const string Examples = """
          mukta manifest make build/gannet-post --product gannet-post --release 1.4.2 \
            --sequence 41 --out gannet-post.meta4 \
            --base-url https://mirror.example/gannet-post
          mukta manifest make build/gannet-post --piece-size 256KiB --out new.meta4
        """;

    public static Command Build()
    {
        var folder = new Argument<string>("DIR") { Description = "The folder with the release's files." };
        var product = new Option<string?>("--product")
        {
            Description = "The product's id, such as gannet-post.",
            HelpName = "ID",
            CustomParser = Product,
        };
        var release = new Option<string?>("--release")
        {
            Description = "The release's version for people, such as 1.4.2.",
            HelpName = "VERSION",
        };
        var sequence = new Option<long?>("--sequence") { Description = "The release's sequence number.", HelpName = "N" };
        var expires = new Option<DateTimeOffset?>("--expires")
        {
            Description = "When the manifest stops being valid, such as 2027-01-31 (UTC).",
            HelpName = "DATE",
            CustomParser = Date,
        };
        var bases = new Option<string[]>("--base-url")
        {
            Description = "A mirror of the folder. The first one given is tried first.",
            HelpName = "URL",
        };
        var pieceSize = new Option<long>("--piece-size")
        {
            Description = "Length of a piece, 1KiB to 1GiB. Default: 1MiB.",
            HelpName = "SIZE",
            CustomParser = Size,
            DefaultValueFactory = _ => ManifestRequest.UsualPieceLength,
        };
        var output = new Option<string>("--out")
        {
            Description = "The manifest to write, or - for standard output.",
            HelpName = "FILE",
            Required = true,
        };
        var (format, yes) = (FormatOption.Make(), CommonOptions.Yes());
        var command = new ExampleCommand("make", "Make the manifest of a folder. The same tree gives the same bytes.", Examples)
        {
            folder, product, release, sequence, expires, bases, pieceSize, format, output, yes,
        };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var request = new ManifestRequest
            {
                Product = parsed.GetValue(product),
                Release = parsed.GetValue(release),
                Sequence = parsed.GetValue(sequence),
                Expires = parsed.GetValue(expires),
                Bases = [.. (parsed.GetValue(bases) ?? []).Select(Base)],
                PieceLength = parsed.GetValue(pieceSize),
            };
            var file = parsed.GetRequiredValue(output);
            StandardInput.RefuseWithJson(session, file);
            if (file != StandardInput.Word && File.Exists(file) && !parsed.GetValue(yes) && !await Question.IsAnsweredYesAsync(
                session, $"Replace {PathBytes.Shown(file)}?", cancel).ConfigureAwait(false))
                return (int)ExitCode.Problems;
            var made = new Output(file, FormatOption.Of(parsed, format));
            return await RunAsync(session, parsed.GetRequiredValue(folder), request, made, cancel).ConfigureAwait(false);
        });
        return command;
    }

    private static async Task<int> RunAsync(Session session, string path, ManifestRequest request, Output into, CancellationToken cancel)
    {
        using var folder = Folder.Open(path);
        var (output, format) = into;
        if (format == ManifestFormat.Bagit && Folder.RealPathOf(path) != Folder.RealPathOf(Path.Join(output, Bag.Payload)))
        {
            throw new MuktaException(
                ExitCode.BadInput, "A bag has its files in a folder named data.", PathBytes.Shown(path),
                "Copy the files to BAG/data, then run: mukta manifest make BAG/data --format bagit --out BAG");
        }

        request = request with { LeaveOut = new HashSet<string>(StringComparer.Ordinal) { Path.GetRelativePath(path, output) } };
        var meter = new WorkMeter();
        var made = await Progressing.ShowAsync(
            session, meter, () => Task.FromResult(ManifestMaker.Make(folder, request, meter, cancel))).ConfigureAwait(false);
        if (made.Manifest.Files.Count + made.Manifest.Links.Count == 0)
        {
            throw new MuktaException(
                ExitCode.BadInput, "There is no file to list.", path, "Name the folder that holds the release's files.");
        }

        if (output == StandardInput.Word)
        {
            using var stream = Console.OpenStandardOutput();
            ManifestWriter.Write(made.Manifest, stream, format);
            return (int)ExitCode.Done;
        }

        ManifestWriter.WriteFile(made.Manifest, output, format);

        if (session.IsJson)
        {
            Session.Write(
                new ManifestMakeDocument(
                output, ReleasePart.Of(made.Manifest), [.. made.LeftOut.Select(l => new LeftOutPart(PathBytes.Shown(l.Path), l.Reason))]),
                Documents.Readable.ManifestMakeDocument);
            return (int)ExitCode.Done;
        }

        foreach (var (left, reason) in made.LeftOut)
            session.Error.WriteLine($"left out: {PathBytes.Shown(left)}: {reason}");
        session.Output.WriteLine(
            $"{output}: {VerifyText.Title(made.Manifest)}, {Units.Count(made.Manifest.Files.Count, "file")}, "
            + $"{Units.Bytes(made.Manifest.TotalSize)}");
        if (!session.IsQuiet)
            session.Output.WriteLine($"Next: mukta verify {Shell.Quoted(path)} --manifest {Shell.Quoted(output)}");
        return (int)ExitCode.Done;
    }

    /// <summary>Where the manifest is written, and how.</summary>
    private sealed record Output(string Path, ManifestFormat Format);

    private static MirrorUrl Base(string text, int index) =>
        Uri.TryCreate(text, UriKind.Absolute, out var uri) && (uri.Scheme == Uri.UriSchemeHttp || uri.Scheme == Uri.UriSchemeHttps)
            ? new MirrorUrl(uri, index + 1)
            : throw new MuktaException(
            ExitCode.BadInput, "This base URL is not an http or https URL.", text,
            "Name a URL such as https://mirror.example/gannet-post.");

    private static long Size(ArgumentResult result) => SizeText.Parse(result, "piece size", 1 << 10, 1 << 30);

    private static string? Product(ArgumentResult result)
    {
        var text = result.Tokens.Single().Value;
        if (Mukta.Products.Profile.IsId(text))
            return text;
        result.AddError($"'{text}' is not a product id. Use lower-case letters, digits and hyphens, starting with a letter");
        return null;
    }

    private static DateTimeOffset? Date(ArgumentResult result)
    {
        var text = result.Tokens.Single().Value;
        if (DateTimeOffset.TryParse(
            text, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal | DateTimeStyles.AdjustToUniversal, out var date))
            return date;
        result.AddError($"'{text}' is not a date such as 2027-01-31 or 2027-01-31T12:00:00Z");
        return null;
    }
}
