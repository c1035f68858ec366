using System.CommandLine;
using Mukta.Cli.Rendering;
using Mukta.Manifests;
using Mukta.Reinstall;
using Mukta.Remedies;
using Mukta.Repair;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta repair</c></summary>
internal static class RepairCommand
{
    private const string Examples = """
          mukta repair games/gannet-post --manifest gannet-post.meta4 --dry-run
          mukta repair games/gannet-post --manifest gannet-post.meta4 \
            --from https://mirror.example/gannet-post --from /media/stick/gannet-post
        """;

    public static Command Build()
    {
        var (target, source, acting) = (new TargetOptions(mayBeNew: true), new SourceOptions(), new ActingOptions(mayStop: true));
        var holdStrays = new Option<bool>("--hold-strays") { Description = "Also set files aside that the manifest does not list." };
        var refetch = new Option<string[]>("--refetch")
        {
            Description =
                "Set the files of this component aside whatever their state, and bring them back fresh. May be given several times.",
            HelpName = "COMPONENT",
        };
        var refetchFiles = new Option<string[]>("--refetch-files")
        {
            Description = "The same for the files whose paths fit this pattern, such as 'bin/*'.",
            HelpName = "GLOB",
        };
        var previous = new Option<string?>("--previous")
        {
            Description =
                "The manifest of the release that is there now, where a newer one is wanted: files that only it lists are set aside.",
            HelpName = "FILE",
        };
        var all = new Option<bool>("--all") { Description = "List every step, however many there are." };
        var command = new ExampleCommand(
            "repair",
            "Bring missing, damaged, miscased, wrong-kind and wrong-mode files back. Fetches only what is bad; what is replaced is kept. "
            + "A product that is not there is installed.", Examples)
        {
            previous, refetch, refetchFiles, holdStrays, all,
        };
        acting.AddTo(command);
        source.AddTo(command);
        target.AddTo(command);
        command.SetAction(async (parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var tools = Product.ToolsOf(target.Machine(parsed), session, parsed);
            if (target.Absent(parsed, "repair") is { } absent)
            {
                var request = source.RequestOf(parsed, absent, tools.Log) with
                {
                    Command = "repair",
                    Wish = new ReinstallWish(false, false) { SweepsLeftovers = false },
                    NamedInstall = target.NamedInstall(parsed),
                    NewPlace = target.NewPlace(parsed),
                };
                using var first = new ReinstallRemedy(absent.Target([], target.ManifestFile(parsed)), request, tools);
                return await acting.RunAsync(
                    session, parsed, first, new ReinstallView(session, absent, null), cancel).ConfigureAwait(false);
            }

            var found = await target.FindAsync(parsed, session, needsManifest: true, cancel).ConfigureAwait(false);
            using var sources = source.Sources(parsed, found.Mirrors, found.Manifest, tools.Log);
            using var remedy = new RepairRemedy(found, sources, tools)
            {
                SetsStraysAside = parsed.GetValue(holdStrays),
                Renewed = new FilesToRenew(parsed.GetValue(refetch) ?? [], parsed.GetValue(refetchFiles) ?? []),
                Limits = source.Limits(parsed),
                Also = source.Also(parsed),
                Previous = parsed.GetValue(previous) is { } older ? new LazyManifest(older) : null,
            };
            return await acting.RunAsync(
                session, parsed, remedy, new RepairView(session, found, sources, parsed.GetValue(all)), cancel).ConfigureAwait(false);
        });
        return command;
    }
}
