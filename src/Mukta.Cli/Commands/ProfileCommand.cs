using System.CommandLine;
using Mukta.Cases;
using Mukta.Cli.Json;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli.Commands;

/// <summary><c>mukta profile</c></summary>
internal static class ProfileCommand
{
    public static Command Build()
    {
        var folder = CommonOptions.Profiles();
        var command = new ExampleCommand(
            "profile", "Show, check or draft profiles.", "  mukta profile\n  mukta profile check gannet-post.yaml")
        {
            ProfileDraftCommand.Build(),
            BuildCheck(),
            BuildShow(),
            folder,
        };
        command.SetAction(parsed => Show(parsed, folder, null));
        return command;
    }

    private static ExampleCommand BuildCheck()
    {
        var files = new Argument<string[]>("FILE") { Description = "YAML profiles; - is standard input.", Arity = ArgumentArity.OneOrMore };
        var here = new Option<bool>("--here") { Description = "Also try each path on this machine: what is there, and how large it is." };
        var command = new ExampleCommand("check", "Check profiles and report errors by line.", """
              mukta profile check profiles/*.yaml
              mukta profile check --here profiles/gannet-post.yaml
            """) { files, here };
        command.SetAction((parsed, cancel) =>
        {
            using var session = new Session(parsed);
            var trial = parsed.GetValue(here) ? new ProfileTrial(Host.Machine.Here(UserEnvironment.Get)) : null;
            var profiles = new List<LoadedProfile>();
            var faults = new List<MuktaException>();
            foreach (var file in parsed.GetRequiredValue(files))
            {
                try
                {
                    profiles.Add(new LoadedProfile(ProfileReader.ReadFile(StandardInput.FileOf(file)), file));
                }
                catch (MuktaException e)
                {
                    faults.Add(e);
                    session.Tell(e);
                }
            }

            IReadOnlyList<Products.Profile> all = [.. profiles.Select(p => p.Profile)];
            var problems = profiles.SelectMany(p => LadderCheck.Of(p.Profile, all).Select(what => (Profile: p, What: what))).ToList();
            if (session.IsJson)
            {
                Session.Write(
                    ProfilesDocument.Of("mukta.profile.check/1", profiles) with
                    {
                        Problems = [.. problems.Select(p => new ProblemPart(p.Profile.Profile.Product, p.What))],
                        Faults = [.. faults.Select(f => new FaultPart(f.What, f.Where, f.Next))],
                        Here = trial is null ? null : [.. profiles.SelectMany(p => trial.Try(p, cancel).Select(t => TriedPart.Of(p, t)))],
                    },
                    Documents.Readable.ProfilesDocument);
            }
            else if (!session.IsQuiet)
            {
                profiles.ForEach(p =>
                {
                    var its = problems.Where(o => o.Profile == p).ToList();
                    if (its.Count == 0)
                        session.Output.MarkupLineInterpolated($"[green]ok[/]  {p.File}: {p.Profile.Title}");
                    else
                        session.Output.MarkupLineInterpolated($"[yellow]usable[/]  {p.File}: {p.Profile.Title}");
                    its.ForEach(o => session.Output.WriteLine($"    {o.What}"));
                    if (trial is not null)
                        new Rendering.ProfileText(session.Output).Write(trial.Try(p, cancel));
                });
            }

            return Task.FromResult((int)(faults.Count > 0 ? faults[0].Code : problems.Count > 0 ? ExitCode.Problems : ExitCode.Done));
        });
        return command;
    }

    private static ExampleCommand BuildShow()
    {
        var product = new Argument<string?>("PRODUCT")
        {
            Description = "A product id. Default: all.",
            Arity = ArgumentArity.ZeroOrOne,
        };
        var folder = CommonOptions.Profiles();
        var command = new ExampleCommand("show", "Show the available profiles and where they come from.", """
              mukta profile show
              mukta profile show gannet-post --profiles profiles
            """) { product, folder };
        command.SetAction(parsed => Show(parsed, folder, parsed.GetValue(product)));
        return command;
    }

    private static int Show(ParseResult parsed, Option<string?> folder, string? product)
    {
        using var session = new Session(parsed);
        var catalog = Session.Profiles(parsed, folder);
        IReadOnlyList<LoadedProfile> shown = product is not null ? [catalog.Of(product)] : [.. catalog.Profiles];
        if (session.IsJson)
            Session.Write(ProfilesDocument.Of("mukta.profile.show/1", shown), Documents.Readable.ProfilesDocument);
        else if (shown.Count == 0)
            session.Output.WriteLine($"No profiles in {string.Join(", ", catalog.Folders)}.");
        else
            new Rendering.ProfileText(session.Output).Write(shown);
        return (int)ExitCode.Done;
    }
}
