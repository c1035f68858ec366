using System.CommandLine;
using Mukta.Bundles;
using Mukta.Cli.Help;
using Mukta.Cli.Json;
using Mukta.Cli.Rendering;
using Mukta.Disk;
using Mukta.Fetching;
using Mukta.Manifests;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta bundle make</c></summary>
internal static class BundleMakeCommand
{
    private const string Examples = """
          mukta bundle make --for findings.json --out /media/stick/gannet-post
          mukta bundle make gannet-post --from https://mirror.example/gannet-post \
            --out /media/stick/gannet-post
        """;

    public static Command Build()
    {
        var choice = new ProductChoice { IsForOneInstall = false };
        var source = new SourceOptions { TakesAlso = false };
        var product = new Argument<string?>("PRODUCT")
        {
            Description = "A product id, for the whole release.",
            Arity = ArgumentArity.ZeroOrOne,
        }.WithProducts();
        var findings = new Option<string[]>("--for")
        {
            Description = "Findings of a machine, from its mukta verify --json.",
            HelpName = "FILE",
        };
        var manifest = new Option<string?>("--manifest")
        {
            Description = "Use this manifest instead of the profile's.",
            HelpName = "FILE|URL",
        };
        var release = new Option<string?>("--release") { Description = "Take this release.", HelpName = "VERSION" };
        var output = new Option<string>("--out")
        {
            Description = "The bundle's folder, new or empty.",
            HelpName = "DIR",
            Required = true,
        };
        var fit = new Option<bool>("--fit") { Description = "If not everything has room, take what has." };
        var dryRun = CommonOptions.DryRun();
        var command = new ExampleCommand(
            "make", "Download what broken machines need, each piece once, into a folder for a stick.", Examples)
        {
            product, findings, output, fit, manifest, release, dryRun,
        };
        source.AddTo(command);
        choice.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var to = parsed.GetRequiredValue(output);
            BundleMaker.RefuseUsed(to);
            var wishes = Wishes(
                parsed, session, choice, source, new Named(
                    parsed.GetValue(product), parsed.GetValue(findings) ?? [], parsed.GetValue(manifest), parsed.GetValue(release)));
            try
            {
                var plan = WithRoom(BundlePlan.For(wishes), to, parsed.GetValue(fit));
                return await RunAsync(session, plan, to, source.Limits(parsed), parsed.GetValue(dryRun), cancel).ConfigureAwait(false);
            }
            finally
            {
                foreach (var wish in wishes)
                    wish.Sources.Dispose();
            }
        });
        return command;
    }

    /// <summary>What the user has named.</summary>
    private sealed record Named(string? Product, string[] Findings, string? Manifest, string? Release);

    private static List<BundleWish> Wishes(
        ParseResult parsed, Session session, ProductChoice choice, SourceOptions source, Named named)
    {
        if ((named.Product is null) == (named.Findings.Length == 0))
        {
            throw new MuktaException(
                ExitCode.BadInput, "Name either a product or findings.", Shell.Typed(parsed),
                "Write findings on the other machine with: mukta verify PRODUCT --json > findings.json");
        }

        return named.Findings.Length == 0 ? [Wish(named.Product, named.Release, [])]
            : [.. named.Findings.Select(f => Findings.Read(StandardInput.FileOf(f))).GroupBy(f => (f.Product, f.Release, f.Sequence))
                .Select(g => Wish(g.Key.Product, named.Release ?? g.Key.Release, [.. g]))];

        BundleWish Wish(string? id, string? release, IReadOnlyList<Findings> of)
        {
            var product = id is not null && (named.Manifest is null || choice.Knows(parsed, id)) ? choice.Product(parsed, id).Loaded : null;
            var file = named.Manifest is { } manifest ? ManifestOf(parsed, session, product, StandardInput.FileOf(manifest))
                : product is not null ? product.ManifestOf(product.HasReleases ? release : null)
                : throw new MuktaException(
                    ExitCode.BadInput, "The findings do not say of which product they are.", string.Join("\n", of.Select(f => f.Name)),
                    "Name the manifest with --manifest.");
            return new BundleWish(file, source.Sources(parsed, product?.Profile.Manifest?.Mirrors ?? [], file.Value, session.Log()), of);
        }
    }

    private static LazyManifest ManifestOf(ParseResult parsed, Session session, LoadedProfile? product, string file) =>
        product?.Named(file) ?? (PublishedManifests.IsUrl(file)
        ? Session.Published(parsed, session).Of(new Uri(file), [], TimeSpan.Zero, null) : new LazyManifest(file));

    /// <summary>The plan, or as much of it as has room.</summary>
    private static BundlePlan WithRoom(BundlePlan plan, string to, bool fits)
    {
        var place = Path.GetFullPath(to);
        while (!Directory.Exists(place))
            place = Path.GetDirectoryName(place)!;
        var free = Room.At(place).FreeBytes - Room.ToSpare;
        if (plan.Room <= free)
            return plan;
        var fitting = plan.Fitting(free);
        return fits && fitting.Files.Count > 0 ? fitting : throw new MuktaException(
            ExitCode.Blocked,
            $"The bundle needs {Units.Bytes(plan.Room)}, and {Units.Bytes(Math.Max(0, free))} are free there.", PathBytes.Shown(to),
            fitting.Files.Count == 0 ? "Make room, or choose another place."
            : $"{Units.Of(fitting.Files.Count, plan.Files.Count, "file")} ({Units.Bytes(fitting.Bytes)}) would fit: "
            + "to take those, add --fit.");
    }

    private static async Task<int> RunAsync(
        Session session, BundlePlan plan, string to, FetchLimits limits, bool isDryRun, CancellationToken cancel)
    {
        var text = new BundleText(session);
        if (!session.IsJson && !session.IsQuiet)
            text.Plan(plan, to);
        if (isDryRun || plan.Files.Count == 0)
        {
            if (session.IsJson)
                Session.Write(BundleMakeDocument.Of(plan, null, to, isDryRun), Documents.Readable.BundleMakeDocument);
            else
                session.Output.WriteLine(plan.Files.Count == 0 ? "Nothing is needed, so no bundle was made." : Session.DryRun);
            return (int)ExitCode.Done;
        }

        var meter = new WorkMeter();
        var work = Path.Join(UserFolders.Of(UserEnvironment.Get).Cache, "mukta", $"bundle-{Environment.ProcessId}");
        MadeBundle made;
        try
        {
            made = await Progressing.ShowAsync(
                session, meter,
                () => new BundleMaker(TimeProvider.System, session.Log()) { Limits = limits }.MakeAsync(plan, to, work, meter, cancel))
                .ConfigureAwait(false);
        }
        catch (OperationCanceledException) when (cancel.IsCancellationRequested)
        {
            throw new MuktaException(
                ExitCode.Interrupted, "Interrupted. Nothing of the bundle was left behind.", PathBytes.Shown(to),
                "Run the same command again to make it from the beginning.");
        }
        finally
        {
            if (Directory.Exists(work))
                Directory.Delete(work, recursive: true);
        }

        if (session.IsJson)
            Session.Write(BundleMakeDocument.Of(plan, made, to, isDryRun), Documents.Readable.BundleMakeDocument);
        else
            text.Made(plan, made, to);
        return (int)BundleMakeDocument.Code(plan, made);
    }
}
