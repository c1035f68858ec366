using System.CommandLine;
using Mukta.Cli.Help;
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
        var (source, acting) = (new SourceOptions(), new ActingOptions(mayStop: true));
        var target = new TargetOptions(mayBeNew: true) { BundledManifest = source.BundledManifest };
        var holdStrays = new Option<bool>("--set-aside-strays") { Description = "Also set aside files that are not in the manifest." };
        var renew = new Option<string[]>("--renew")
        {
            Description = "Download this component's files again, even intact ones.",
            HelpName = "COMPONENT",
        }.WithComponents();
        var renewFiles = new Option<string[]>("--renew-files")
        {
            Description = "Download matching files again, even intact ones, such as 'bin/*'.",
            HelpName = "GLOB",
        };
        var previous = new Option<string?>("--previous")
        {
            Description = "The installed release's manifest: set aside what only it lists.",
            HelpName = "FILE",
        };
        var all = new Option<bool>("--all") { Description = "List every step." };
        var command = new ExampleCommand(
            "repair",
            "Fix whatever verify finds, or install what is absent. Downloads only the bad parts, and keeps what it replaces.", Examples)
        {
            previous, renew, renewFiles, holdStrays, all,
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
                var first = target.ManifestFile(parsed, session, absent)
                    ?? (target.Release(parsed) is { } release ? absent.Loaded.ManifestOf(release) : null);
                using var install = new ReinstallRemedy(absent.Target([], first), request, tools);
                return await acting.RunAsync(
                    session, parsed, install, new ReinstallView(session, absent, null), cancel).ConfigureAwait(false);
            }

            var found = await target.FindAsync(parsed, session, needsManifest: true, cancel).ConfigureAwait(false);
            using var sources = source.Sources(parsed, found.Mirrors, found.Manifest, tools.Log);
            using var remedy = new RepairRemedy(found, sources, tools)
            {
                SetsStraysAside = parsed.GetValue(holdStrays),
                Renewed = new FilesToRenew(parsed.GetValue(renew) ?? [], parsed.GetValue(renewFiles) ?? []),
                Limits = source.Limits(parsed),
                Also = source.Also(parsed),
                Release = target.Release(parsed),
                Previous = parsed.GetValue(previous) is { } older ? new LazyManifest(StandardInput.FileOf(older)) : null,
            };
            var code = await acting.RunAsync(
                session, parsed, remedy, new RepairView(session, found, sources, parsed.GetValue(all)), cancel).ConfigureAwait(false);
            target.SayUnchecked(parsed, session);
            return code;
        });
        return command;
    }
}
