using System.CommandLine;
using Mukta.Disk;
using Mukta.Host;
using Mukta.Manifests;
using Mukta.Products;
using Spectre.Console;

namespace Mukta.Cli;

/// <summary>What a command works on.</summary>
/// <param name="Path">The install's folder.</param>
/// <param name="ManifestPath">Its manifest; empty for a command that needs none.</param>
/// <param name="Words">How the user named both, for the next command to type.</param>
/// <param name="ProcessNames">What the profile says the product's processes are called.</param>
internal sealed record Target(string Path, string ManifestPath, string Words, IReadOnlyList<string> ProcessNames)
{
    /// <summary>The processes that use the install.</summary>
    public IReadOnlyList<RunningProcess> Running(Folder install) => new ProcessTable().Using(install.RealPath, ProcessNames);

    /// <summary>Refuses to go on while the product runs.</summary>
    /// <exception cref="ProductRuns">It does.</exception>
    public void RefuseIfRunning(Folder install)
    {
        if (Running(install) is { Count: > 0 } running)
            throw new ProductRuns(running, $"End it with: mukta stop {Words}");
    }
}

/// <summary>The arguments with which a command is told its install: a folder with a manifest, or a product that a profile describes.</summary>
internal sealed class TargetOptions
{
    private readonly Argument<string> what = new("INSTALL") { Description = "The install: its folder, or the id of a product that a profile describes." };
    private readonly Option<string?> manifest = new("--manifest") { Description = "The release's manifest, a Metalink 4 file. Needed with a folder; a profile names its own.", HelpName = "FILE" };
    private readonly Option<string?> install = new("--install") { Description = "Which install of the product, where there are several.", HelpName = "PATH" };
    private readonly Option<string?> profiles = CommonOptions.Profiles();

    public void AddTo(Command command)
    {
        command.Arguments.Add(what);
        command.Options.Add(manifest);
        command.Options.Add(install);
        command.Options.Add(profiles);
    }

    /// <summary>Finds what the user means. A folder that is there counts before a product of the same name.</summary>
    /// <param name="parsed">The command line.</param>
    /// <param name="session">For a question.</param>
    /// <param name="needsManifest">False for a command that only needs to know the folder.</param>
    /// <param name="cancel">Ends a question.</param>
    /// <exception cref="MuktaException">It is neither, or several installs qualify and nobody can be asked.</exception>
    public async Task<Target> FindAsync(ParseResult parsed, Session session, bool needsManifest, CancellationToken cancel)
    {
        var (named, manifestPath) = (parsed.GetRequiredValue(what), parsed.GetValue(manifest));
        if (Directory.Exists(named) || named.Contains('/', StringComparison.Ordinal))
        {
            if (manifestPath is null && needsManifest)
                throw NoManifest(named);
            return new Target(named, manifestPath ?? "", Shell.Quoted(named) + (manifestPath is null ? "" : $" --manifest {Shell.Quoted(manifestPath)}"), []);
        }

        var shelf = ProfileShelf.Read(parsed.GetValue(profiles), Environment.GetEnvironmentVariable);
        var profile = shelf.Of(named);
        if (needsManifest)
            manifestPath ??= ManifestOf(profile);
        else if (File.Exists(profile.ManifestLocation))
            manifestPath ??= profile.ManifestLocation; // Only to recognise an install that has lost its marker.
        var evidence = manifestPath is null ? null : MetalinkReader.ReadFile(manifestPath);
        var path = parsed.GetValue(install) ?? await ChooseAsync(profile, evidence, session, cancel).ConfigureAwait(false);
        var words = new[] { (install, parsed.GetValue(install)), (profiles, parsed.GetValue(profiles)), (manifest, parsed.GetValue(manifest)) }
            .Where(o => o.Item2 is not null).Select(o => $" {o.Item1.Name} {Shell.Quoted(o.Item2!)}");
        return new Target(path, manifestPath ?? "", Shell.Quoted(named) + string.Concat(words), profile.Profile.Processes);
    }

    private static string ManifestOf(ShelvedProfile profile)
    {
        if (profile.ManifestLocation is not { } location)
            throw new MuktaException(ExitCode.BadInput, "The profile names no manifest.", profile.File, "Name one with --manifest.");
        return location.Contains("://", StringComparison.Ordinal)
            ? throw new MuktaException(ExitCode.BadInput, "The profile's manifest is on the network, and this version reads manifests from files only.", location, "Download it, then name the file with --manifest.")
            : location;
    }

    private static async Task<string> ChooseAsync(ShelvedProfile profile, Manifest? manifest, Session session, CancellationToken cancel)
    {
        var found = new InstallFinder(UserFolders.Of(Environment.GetEnvironmentVariable)).Find(profile.Profile, manifest).Where(f => f.IsCurrent).ToList();
        switch (found)
        {
            case []:
                throw new MuktaException(
                    ExitCode.BadInput, $"No install of {profile.Profile.Title} was found.", string.Join("\n", profile.Profile.Installs.Places.Select(p => p.Text)),
                    "Name its folder with --install.");
            case [var only]:
                return only.Path;
        }

        if (Console.IsInputRedirected || Console.IsErrorRedirected || session.IsJson)
        {
            throw new MuktaException(
                ExitCode.BadInput, $"There are {found.Count} installs of {profile.Profile.Title}.", string.Join("\n", found.Select(f => f.Path)), "Choose one with --install.");
        }

        return await new SelectionPrompt<string> { Title = $"Which install of {Markup.Escape(profile.Profile.Title)}?" }
            .AddChoices(found.Select(f => Markup.Escape(f.Path))).ShowAsync(session.Error, cancel).ConfigureAwait(false);
    }

    private static MuktaException NoManifest(string folder) => new(
        ExitCode.BadInput, "A folder needs a manifest to be compared with.", folder, "Name the manifest with --manifest, or name a product that a profile describes.");
}
