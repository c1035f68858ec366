using System.CommandLine;
using System.CommandLine.Parsing;
using System.Globalization;
using Mukta.Cli.Json;
using Mukta.Disk;
using Mukta.Drafting;
using Mukta.Manifests;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta profile draft</c></summary>
internal static class ProfileDraftCommand
{
    private const int LongestWatch = 3600;
    private static readonly string[] Head =
    [
        "A draft, made from what was seen on this machine. Each line says how it is known:",
        "  seen          it is there",
        "  likely        it follows from what is there",
        "  please check  a guess: keep it, correct it or remove the line",
        "docs/profile.md explains every key.",
    ];

    public static Command Build()
    {
        var product = new Argument<string>("PRODUCT") { Description = "The new product's id, such as gannet-post." };
        var install = new Option<string>("--install") { Description = "The product's install.", HelpName = "DIR", Required = true };
        var shortcuts = new Option<string[]>("--shortcut")
        {
            Description = "A .desktop file that starts it. Those that start a program of the install are found without it.",
            HelpName = "FILE",
        };
        var watch = new Option<int>("--watch")
        {
            Description = "Watch its processes so long, to see what they open and write. Start the product first.",
            HelpName = "SECONDS",
            CustomParser = Seconds,
        };
        var manifest = new Option<string?>("--manifest")
        {
            Description = "The manifest of the install. It is made if the file is not there; then the install has to be good.",
            HelpName = "FILE",
        };
        var release = new Option<string?>("--release") { Description = "The release, for a manifest that is made.", HelpName = "VERSION" };
        var output = new Option<string?>("--out")
        {
            Description = "The profile to write, or - for standard output. Default: PRODUCT.yaml in the folder of profiles.",
            HelpName = "FILE",
        };
        var profiles = CommonOptions.Profiles();
        var command = new ExampleCommand("draft", "Draft a profile from what is on this machine.", """
              mukta profile draft gannet-post --install ~/games/gannet-post --watch 60
              mukta profile draft gannet-post --install ~/games/gannet-post --out -
            """) { product, install, shortcuts, watch, manifest, release, output, profiles };
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var id = parsed.GetRequiredValue(product);
            if (!Mukta.Products.Profile.IsId(id))
            {
                throw new MuktaException(
                    ExitCode.BadInput, "This is not a product id.", id,
                    "Use lower-case letters, digits and hyphens, starting with a letter.");
            }

            var machine = Host.Machine.Here(UserEnvironment.Get);
            var file = parsed.GetValue(output) ?? Path.Join(Session.FolderOfProfiles(parsed.GetValue(profiles)), $"{id}.yaml");
            StandardInput.RefuseWithJson(session, file);
            if (file != StandardInput.Word && Path.Exists(file))
            {
                throw new MuktaException(
                    ExitCode.BadInput, "This file is already there, and a draft never replaces one.", file,
                    "Name another file with --out, or - to see the draft.");
            }

            var request = new DraftRequest(id, parsed.GetRequiredValue(install), machine)
            {
                Shortcuts = parsed.GetValue(shortcuts) ?? [],
                Watch = TimeSpan.FromSeconds(parsed.GetValue(watch)),
                Others = [.. Session.Profiles(parsed, profiles).Profiles],
                Manifest = await ManifestAsync(
                    session, parsed.GetRequiredValue(install), parsed.GetValue(manifest), file,
                    new ManifestRequest { Product = id, Release = parsed.GetValue(release) }, cancel).ConfigureAwait(false),
            };
            if (request.Watch > TimeSpan.Zero)
                session.Say($"Watching the processes of {id} for {Units.Time(request.Watch)} ...");
            var drafter = new ProfileDrafter(Mukta.Cli.Product.ControlOf(machine), TimeProvider.System);
            return Write(session, id, file, await drafter.DraftAsync(request, cancel).ConfigureAwait(false));
        });
        return command;
    }

    private static int Write(Session session, string product, string file, DraftMap draft)
    {
        var text = DraftWriter.Write(draft, Head);
        ProfileReader.Read(new StringReader(text), file); // What is not a good profile is not written.
        if (file == StandardInput.Word)
        {
            Console.Out.Write(text);
            return (int)ExitCode.Done;
        }

        OutputFile.Write(file, System.Text.Encoding.UTF8.GetBytes(text));
        var lines = DraftDocument.LinesOf(draft);
        if (session.IsJson)
            Session.Write(new DraftDocument("mukta.profile.draft/1", product, file, lines), Documents.Readable.DraftDocument);
        else
        {
            int Of(DraftTrust trust) => lines.Count(l => l.Trust == JsonNames.OfName(trust.ToString()));
            session.Output.WriteLine(
                $"{file}: {Units.Count(lines.Count, "line")}, {Of(DraftTrust.Seen)} seen, {Of(DraftTrust.Likely)} likely, "
                + $"{Of(DraftTrust.Check)} to check");
            if (!session.IsQuiet)
                session.Next($"mukta profile check --here {Shell.Quoted(file)}");
        }

        return (int)ExitCode.Done;
    }

    /// <summary>The manifest that is named, made if it is not there, and how the profile is to name it.</summary>
    private static async Task<(Manifest Manifest, string Location)?> ManifestAsync(
        Session session, string install, string? file, string profile, ManifestRequest request, CancellationToken cancel)
    {
        if (file is null)
            return null;
        if (!File.Exists(file))
        {
            using var folder = Folder.Open(install);
            var meter = new WorkMeter();
            request = request with { LeaveOut = new HashSet<string>(StringComparer.Ordinal) { Path.GetRelativePath(install, file) } };
            var made = await Rendering.Progressing.ShowAsync(
                session, meter, () => Task.FromResult(ManifestMaker.Make(folder, request, meter, cancel))).ConfigureAwait(false);
            MetalinkWriter.WriteFile(made.Manifest, file);
            session.Say($"Made {file}: {Units.Count(made.Manifest.Files.Count, "file")}, {Units.Bytes(made.Manifest.TotalSize)}");
        }

        var location = profile == StandardInput.Word ? Path.GetFullPath(file)
            : Path.GetRelativePath(Path.GetDirectoryName(Path.GetFullPath(profile))!, Path.GetFullPath(file));
        return (new LazyManifest(file).Value, location);
    }

    private static int Seconds(ArgumentResult result)
    {
        var text = result.Tokens.Single().Value;
        if (int.TryParse(text, NumberStyles.None, CultureInfo.InvariantCulture, out var seconds) && seconds is > 0 and <= LongestWatch)
            return seconds;
        result.AddError($"'{text}' is not a number of seconds from 1 to {LongestWatch}");
        return 0;
    }
}
